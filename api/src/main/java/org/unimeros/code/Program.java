package org.unimeros.code;

import java.io.Serializable;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.record.TextSlice;

/**
 * An external program as mapper, combiner or reducer: it reads lines on its standard input and writes lines on its standard output.
 *
 * <ul>
 *   <li>A mapper reads records, a line each, and writes a key, a separator and a value per line; the separator is a tab unless another one
 *       is given. A line without a separator is a key with an empty value.
 *   <li>A combiner and a reducer read keys and values in that form, all of a key one after the other, a reducer in the order of the keys;
 *       a combiner writes the same, a reducer whatever it likes, a record per line.
 *   <li>What they write on their standard error goes to the log of the task.
 *   <li>A line such as <code>{"group": "parcels", "name": "heavy", "add": 3}</code> in the file that {@code UNIMEROS_COUNTERS} names adds to a
 *       counter.
 *   <li>One process serves a task. It runs where the task runs, in a folder with the attached files under their names where there are
 *       some, with the variables {@code UNIMEROS_STAGE}, {@code UNIMEROS_TASK}, {@code UNIMEROS_ATTEMPT} and {@code UNIMEROS_INPUT}.
 *   <li>A program that cannot be started, ends with another exit code than 0, ends before it has read everything, or neither reads nor
 *       writes for longer than its limit, ends the run with a message that says so.
 * </ul>
 *
 * Immutable.
 */
public final class Program implements Serializable {

    private static final long serialVersionUID = 1;
    private static final long LIMIT_MILLIS = 600_000;

    private final List<String> command;
    private final String separator;
    private final long limitMillis;

    private Program(List<String> command, String separator, long limitMillis) {
        this.command = command;
        this.separator = separator;
        this.limitMillis = limitMillis;
    }

    /** A program and its arguments, started without a shell. */
    public static Program of(String... command) {
        if (command.length == 0 || command[0].isBlank()) {
            throw new UserMistake("an external program needs a command");
        }
        return new Program(List.copyOf(Arrays.asList(command)), "\t", LIMIT_MILLIS);
    }

    /** A line for the shell of the machine that the task runs on, {@code sh}. */
    public static Program shell(String line) {
        if (line.isBlank()) {
            throw new UserMistake("an external program needs a command");
        }
        return of("sh", "-c", line);
    }

    /** The same with another text between key and value. */
    public Program separatedBy(String text) {
        if (text.isEmpty() || text.contains("\n")) {
            throw new UserMistake("keys and values are separated by some characters, none of which ends a line");
        }
        return new Program(command, text, limitMillis);
    }

    /** The same with another limit on how long it may neither read nor write; ten minutes without this. */
    public Program limitedTo(Duration silence) {
        if (silence.isNegative() || silence.isZero()) {
            throw new UserMistake("the limit of a program is longer than nothing");
        }
        return new Program(command, separator, silence.toMillis());
    }

    List<String> command() {
        return command;
    }

    String separator() {
        return separator;
    }

    long limitMillis() {
        return limitMillis;
    }

    /** Maps lines to keys and values. */
    public Mapper<String, String, String> mapper() {
        return new ProgramMapper<>(this, ProgramText.STRINGS);
    }

    /** Combines; only where keys are divided by their hash or by ranges, since what it writes can have any key. */
    public Combiner<String, String> combiner() {
        return new ProgramCombiner<>(this, ProgramText.STRINGS);
    }

    /** Reduces keys and values to lines. */
    public Reducer<String, String, String> reducer() {
        return new ProgramReducer<>(this, ProgramText.STRINGS);
    }

    /** The same as {@link #mapper} for text as bytes, of which no strings are made. */
    public Mapper<TextSlice, TextSlice, TextSlice> sliceMapper() {
        return new ProgramMapper<>(this, ProgramText.SLICES);
    }

    /** The same as {@link #combiner} for text as bytes. */
    public Combiner<TextSlice, TextSlice> sliceCombiner() {
        return new ProgramCombiner<>(this, ProgramText.SLICES);
    }

    /** The same as {@link #reducer} for text as bytes. */
    public Reducer<TextSlice, TextSlice, TextSlice> sliceReducer() {
        return new ProgramReducer<>(this, ProgramText.SLICES);
    }

    @Override
    public String toString() {
        return command.size() == 3 && command.get(0).equals("sh") ? command.get(2) : String.join(" ", command);
    }

    /** A program that serves a task as one of the three. */
    private abstract static class Serving<T> implements TaskCode {
        final Program program;
        final ProgramText<T> form;
        private final String role;
        private final byte[] separator;
        private transient TaskContext context;
        private transient ProgramRun run;

        Serving(Program program, ProgramText<T> form, String role) {
            this.program = program;
            this.form = form;
            this.role = role;
            this.separator = program.separator.getBytes(StandardCharsets.UTF_8);
        }

        @Override
        public String title() {
            return program.toString();
        }

        @Override
        public void taskBegins(TaskContext given) {
            context = given;
        }

        /** Writes a line to the program, which is started with the first one. */
        final void write(T line, ProgramRun.Lines out) {
            ProgramRun to = started();
            form.write(line, to);
            to.endLine(out);
        }

        /** Writes a key and a value. */
        final void write(T key, T value, ProgramRun.Lines out) {
            ProgramRun to = started();
            form.write(key, to);
            to.put(separator, 0, separator.length);
            form.write(value, to);
            to.endLine(out);
        }

        /** Hands a line on as key and value. */
        final void split(byte[] bytes, int start, int end, Pairs<T, T> out) {
            int at = find(bytes, start, end);
            if (at < 0) {
                out.add(form.of(bytes, start, end), form.of(bytes, end, end));
            } else {
                out.add(form.of(bytes, start, at), form.of(bytes, at + separator.length, end));
            }
        }

        private int find(byte[] bytes, int start, int end) {
            for (int i = start; i <= end - separator.length; i++) {
                if (bytes[i] == separator[0]
                        && Arrays.equals(bytes, i, i + separator.length, separator, 0, separator.length)) {
                    return i;
                }
            }
            return -1;
        }

        private ProgramRun started() {
            if (run == null) {
                run = new ProgramRun(program, role, context);
            }
            return run;
        }

        /** Ends the program, also one that was given nothing. */
        final void end(ProgramRun.Lines out) {
            started().finish(out);
            taskEnds();
        }

        final boolean isStarted() {
            return run != null;
        }

        @Override
        public void taskEnds() {
            if (run != null) {
                run.close();
                run = null;
            }
        }
    }

    private static final class ProgramMapper<T> extends Serving<T> implements Mapper<T, T, T> {
        ProgramMapper(Program program, ProgramText<T> form) {
            super(program, form, "mapper");
        }

        @Override
        public void map(T line, Pairs<T, T> out) {
            write(line, (bytes, start, end) -> split(bytes, start, end, out));
        }

        @Override
        public void finish(Pairs<T, T> out) {
            end((bytes, start, end) -> split(bytes, start, end, out));
        }
    }

    private static final class ProgramCombiner<T> extends Serving<T> implements Combiner<T, T> {
        /** Keys, and their values behind them. */
        private transient List<T> made;

        ProgramCombiner(Program program, ProgramText<T> form) {
            super(program, form, "combiner");
        }

        private void keep(byte[] bytes, int start, int end) {
            split(bytes, start, end, (key, value) -> {
                made.add(key);
                made.add(value);
            });
        }

        @Override
        public void combine(T key, Iterable<T> values, Out<T> out) {
            if (!isStarted()) {
                made = new ArrayList<>();
            }
            for (T value : values) {
                write(key, value, this::keep);
            }
        }

        @Override
        public int pairsAtOnce() {
            return 1 << 20;
        }

        @Override
        public void finishRun(Pairs<T, T> out) {
            if (isStarted()) {
                end(this::keep);
                for (int i = 0; i < made.size(); i += 2) {
                    out.add(made.get(i), made.get(i + 1));
                }
                made = new ArrayList<>();
            }
        }
    }

    private static final class ProgramReducer<T> extends Serving<T> implements Reducer<T, T, T> {
        ProgramReducer(Program program, ProgramText<T> form) {
            super(program, form, "reducer");
        }

        @Override
        public void reduce(T key, Iterable<T> values, Out<T> out) {
            for (T value : values) {
                write(key, value, (bytes, start, end) -> out.add(form.of(bytes, start, end)));
            }
        }

        @Override
        public void finish(Out<T> out) {
            end((bytes, start, end) -> out.add(form.of(bytes, start, end)));
        }
    }
}
