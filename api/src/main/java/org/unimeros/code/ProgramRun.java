package org.unimeros.code;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.Deque;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.record.TextSlice;

/**
 * A program that serves a task. The thread of the task writes lines and takes what comes back; beside it one thread fills the pipe to the
 * program, one empties the pipe from it, and one reads its error output, so that neither side waits for the other for ever. What is on its
 * way is bounded.
 */
final class ProgramRun implements AutoCloseable {

    private static final int PIECE = 1 << 16;
    private static final int PIECES = 16;
    private static final int LONGEST_LINE = 256 << 20;
    private static final int SHOWN_ERRORS = 3;
    private static final int LONGEST_SHOWN = 1000;
    private static final int POLL_MILLIS = 50;
    private static final int ROOM_MILLIS = 2;
    private static final byte[] END = new byte[0];
    private static final String EARLIER_COUNTER = "counter:";
    private static final String COUNTERS_VARIABLE = "UNIMEROS_COUNTERS";
    private static final DataType COUNTER = DataType.parse("struct(\"group\" text, name text, add long)");

    private final Program program;
    private final String what;
    private final TaskContext context;
    private final Process process;
    private final Path folder;
    private final List<Thread> threads = new ArrayList<>();
    private final BlockingQueue<byte[]> toProgram = new ArrayBlockingQueue<>(PIECES);
    private final BlockingQueue<byte[]> fromProgram = new ArrayBlockingQueue<>(PIECES);
    private final Path counters;
    private volatile boolean countsOnErrors;
    /** Guarded by itself. */
    private final Deque<String> lastErrors = new ArrayDeque<>();

    private volatile boolean stoppedReading;
    private byte[] open = new byte[PIECE];
    private int filled;
    private byte[] rest = END;
    private boolean atEnd;
    private long lastMove = System.nanoTime();

    ProgramRun(Program program, String what, TaskContext context) {
        this.program = program;
        this.what = what;
        this.context = context;
        ProcessBuilder builder = new ProcessBuilder(program.command());
        builder.environment().put("UNIMEROS_STAGE", String.valueOf(context.stage()));
        builder.environment().put("UNIMEROS_TASK", String.valueOf(context.task()));
        builder.environment().put("UNIMEROS_ATTEMPT", String.valueOf(context.attempt()));
        builder.environment().put("UNIMEROS_INPUT", context.input());
        this.counters = newCounters();
        builder.environment().put(COUNTERS_VARIABLE, counters.toString());
        this.folder = folderWithAttachments();
        if (folder != null) {
            builder.directory(folder.toFile());
        }
        try {
            this.process = builder.start();
        } catch (IOException e) {
            removeFiles();
            throw new UserMistake("the " + what + " program cannot be started: " + program + ": " + e.getMessage(), e);
        }
        thread("input", this::fill);
        thread("output", this::empty);
        thread("errors", this::readErrors);
    }

    /** Null when nothing is attached; the program then runs where this process does. */
    private Path folderWithAttachments() {
        if (context.attachments().isEmpty()) {
            return null;
        }
        try {
            Path made = Files.createTempDirectory("unimeros-program-");
            for (String name : context.attachments()) {
                Files.createSymbolicLink(
                        made.resolve(Path.of(name).getFileName()),
                        context.attachment(name).toAbsolutePath());
            }
            return made;
        } catch (IOException e) {
            throw new ResourceFailure("cannot make a folder for the " + what + " program: " + e.getMessage(), e);
        }
    }

    private static Path newCounters() {
        try {
            return Files.createTempFile("unimeros-counters-", ".jsonl");
        } catch (IOException e) {
            throw new ResourceFailure("cannot make a file for the counters of a program: " + e.getMessage(), e);
        }
    }

    private void thread(String name, Runnable work) {
        Thread thread =
                new Thread(work, "unimeros-" + what + "-" + name + "-" + context.stage() + "-" + context.task());
        thread.setDaemon(true);
        threads.add(thread);
        thread.start();
    }

    private void fill() {
        try (OutputStream out = process.getOutputStream()) {
            for (byte[] piece = toProgram.take(); piece != END; piece = toProgram.take()) {
                if (!stoppedReading) {
                    write(out, piece);
                }
            }
        } catch (IOException e) {
            stoppedReading = true;
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    /** Pieces that the program does not read any more are taken all the same, so that nobody waits. */
    private void write(OutputStream out, byte[] piece) {
        try {
            out.write(piece);
            out.flush();
        } catch (IOException e) {
            stoppedReading = true;
        }
    }

    private void empty() {
        try (InputStream in = process.getInputStream()) {
            byte[] piece = new byte[PIECE];
            for (int n = in.read(piece); n >= 0; n = in.read(piece)) {
                if (n > 0) {
                    fromProgram.put(Arrays.copyOf(piece, n));
                }
            }
        } catch (IOException e) {
            note("its output broke off: " + e.getMessage());
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            return;
        }
        try {
            fromProgram.put(END);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    private void readErrors() {
        try (BufferedReader in = new BufferedReader(new InputStreamReader(process.getErrorStream(), UTF_8))) {
            for (String line = in.readLine(); line != null; line = in.readLine()) {
                countsOnErrors |= line.startsWith(EARLIER_COUNTER);
                note(line);
            }
        } catch (IOException e) {
            note("its error output broke off: " + e.getMessage());
        }
    }

    private void note(String line) {
        String shown = line.length() <= LONGEST_SHOWN ? line : line.substring(0, LONGEST_SHOWN) + "…";
        context.log().log(System.Logger.Level.INFO, "{0}: {1}", what, shown);
        synchronized (lastErrors) {
            lastErrors.add(shown);
            if (lastErrors.size() > SHOWN_ERRORS) {
                lastErrors.remove();
            }
        }
    }

    /** Takes a line that the program wrote; the bytes are not changed any more. */
    @FunctionalInterface
    interface Lines {
        void take(byte[] bytes, int start, int end);
    }

    /** Adds to the line that is written to the program. */
    void put(byte[] bytes, int start, int length) {
        room(length);
        System.arraycopy(bytes, start, open, filled, length);
        filled += length;
    }

    void put(TextSlice text) {
        room(text.length());
        text.copyTo(open, filled);
        filled += text.length();
    }

    private void room(int length) {
        if (filled + length + 1 > open.length) {
            open = Arrays.copyOf(open, Math.max(filled + length + 1, 2 * open.length));
        }
    }

    /** Ends the line; what the program has written meanwhile is handed on. */
    void endLine(Lines lines) {
        room(0);
        open[filled++] = '\n';
        if (filled >= PIECE) {
            send(lines);
        }
    }

    private void send(Lines lines) {
        if (filled > 0) {
            offer(Arrays.copyOf(open, filled), lines);
            filled = 0;
        }
        while (take(lines, 0)) {
            // what is there already
        }
    }

    /** Waits for room, which comes as soon as the program reads; it may first have to get rid of what it has written. */
    private void offer(byte[] piece, Lines lines) {
        try {
            while (!toProgram.offer(piece, ROOM_MILLIS, TimeUnit.MILLISECONDS)) {
                boolean any = false;
                while (take(lines, 0)) {
                    any = true;
                }
                if (!any) {
                    requireMove();
                }
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new RunCancelledException("interrupted");
        }
        lastMove = System.nanoTime();
    }

    /** Hands on what the program has written, waiting for it a little; false when there was nothing. */
    private boolean take(Lines lines, long waitMillis) {
        byte[] piece;
        try {
            piece = atEnd || waitMillis == 0 ? fromProgram.poll() : fromProgram.poll(waitMillis, TimeUnit.MILLISECONDS);
            if (atEnd && waitMillis > 0) {
                Thread.sleep(waitMillis);
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new RunCancelledException("interrupted");
        }
        if (piece == null) {
            return false;
        }
        lastMove = System.nanoTime();
        if (piece == END) {
            atEnd = true;
            return false;
        }
        handOn(piece, lines);
        return true;
    }

    private void handOn(byte[] piece, Lines lines) {
        int start = 0;
        for (int i = 0; i < piece.length; i++) {
            if (piece[i] == '\n') {
                if (rest.length > 0) {
                    keep(piece, start, i);
                    line(rest, 0, rest.length, lines);
                    rest = END;
                } else {
                    line(piece, start, i, lines);
                }
                start = i + 1;
            }
        }
        if (start < piece.length) {
            keep(piece, start, piece.length);
        }
    }

    private static void line(byte[] bytes, int start, int end, Lines lines) {
        lines.take(bytes, start, end > start && bytes[end - 1] == '\r' ? end - 1 : end);
    }

    private void keep(byte[] piece, int start, int end) {
        if ((long) rest.length + end - start > LONGEST_LINE) {
            throw failure("wrote a line of more than " + LONGEST_LINE + " bytes");
        }
        byte[] longer = Arrays.copyOf(rest, rest.length + end - start);
        System.arraycopy(piece, start, longer, rest.length, end - start);
        rest = longer;
    }

    private void requireMove() {
        if (context.isStopped()) {
            throw new RunCancelledException("no longer needed");
        }
        if (System.nanoTime() - lastMove > TimeUnit.MILLISECONDS.toNanos(program.limitMillis())) {
            throw failure("has neither read nor written anything for " + program.limitMillis() / 1000.0
                    + " s; give it a higher limit, or mend it");
        }
    }

    private UserMistake failure(String reason) {
        String said;
        synchronized (lastErrors) {
            said = lastErrors.isEmpty() ? "" : "; it said: " + String.join(" / ", lastErrors);
        }
        return new UserMistake("the " + what + " program " + reason + " (" + program + ")" + said);
    }

    /** Ends its input, hands on all that it still writes, and waits for its end. */
    void finish(Lines lines) {
        send(lines);
        offer(END, lines);
        while (!atEnd) {
            if (!take(lines, POLL_MILLIS)) {
                requireMove();
            }
        }
        if (rest.length > 0) {
            line(rest, 0, rest.length, lines);
            rest = END;
        }
        awaitExit();
        if (process.exitValue() != 0) {
            throw failure("ended with the exit code " + process.exitValue());
        }
        if (stoppedReading) {
            throw failure("ended before it had read all of its input; let it read to the end");
        }
        if (countsOnErrors) {
            throw failure("writes counters to its error output; they are lines such as {\"group\": \"notes\", \"name\":"
                    + " \"read\", \"add\": 3} in the file that the variable " + COUNTERS_VARIABLE + " names");
        }
        count();
    }

    /** Adds what the program has written to its file of counters. */
    private void count() {
        try {
            for (String line : Files.readAllLines(counters)) {
                if (!line.isBlank()) {
                    count(line);
                }
            }
        } catch (IOException e) {
            throw failure("has written something else than text to the file of its counters: " + e.getMessage());
        }
    }

    private void count(String line) {
        Object value = Parse.value(line, COUNTER).orElse(null);
        boolean isCounter = value instanceof Map<?, ?> map
                && map.get("group") != null
                && map.get("name") != null
                && map.get("add") != null;
        if (!isCounter) {
            String shown = line.length() <= LONGEST_SHOWN ? line : line.substring(0, LONGEST_SHOWN) + "…";
            throw failure("has written a counter that is none: " + shown
                    + "; it is a line such as {\"group\": \"notes\", \"name\": \"read\", \"add\": 3}");
        }
        Map<?, ?> counter = (Map<?, ?>) value;
        context.count(
                counter.get("group").toString(),
                counter.get("name").toString(),
                ((Number) counter.get("add")).longValue());
    }

    private void awaitExit() {
        try {
            while (!process.waitFor(POLL_MILLIS, TimeUnit.MILLISECONDS)) {
                requireMove();
            }
            for (Thread thread : threads) {
                thread.join(program.limitMillis());
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new RunCancelledException("interrupted");
        }
    }

    /** Ends the program and what it has started, if it still runs. */
    @Override
    public void close() {
        process.descendants().forEach(ProcessHandle::destroyForcibly);
        process.destroyForcibly();
        threads.forEach(Thread::interrupt);
        removeFiles();
    }

    private void removeFiles() {
        try {
            Files.deleteIfExists(counters);
        } catch (IOException e) {
            throw new ResourceFailure("cannot remove " + counters, e);
        }
        if (folder != null) {
            try (Stream<Path> all = Files.walk(folder)) {
                for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
                    Files.delete(path);
                }
            } catch (IOException e) {
                throw new ResourceFailure("cannot remove " + folder, e);
            }
        }
    }
}
