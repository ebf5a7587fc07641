package org.unimeros.insight;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunEventJson;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.stage.Sizes;

/** What a record says of a run. A record that ends early is of a run that is still going on, or was killed. */
public final class RunRecord {

    private static final JsonFactory JSON = new JsonFactory();

    /** Lines that are read at a time. */
    private static final int CHUNK = 4_096;

    private static final int USUAL_COLUMNS = 120;

    private final Path path;
    private final RunProgress progress = new RunProgress();

    private RunRecord(Path path) {
        this.path = path;
    }

    /**
     * Reads a record, of this version or an earlier one.
     *
     * @throws UserMistake when there is none
     * @throws BadData when it is not one; a last line that was cut off is left out
     */
    public static RunRecord read(Path path) {
        RunRecord record = new RunRecord(path);
        replay(path, record.progress);
        return record;
    }

    /**
     * Tells what a record says, in the order in which it happened.
     *
     * @throws UserMistake when there is none
     * @throws BadData when it is not one; a last line that was cut off is left out
     */
    public static void replay(Path path, RunListener listener) {
        try (BufferedReader in = Files.newBufferedReader(path)) {
            int number = 0;
            for (List<String> lines = some(in); !lines.isEmpty(); lines = some(in)) {
                // Reading is most of the work for a long record.
                List<Line> read = lines.parallelStream().map(Line::of).toList();
                for (int i = 0; i < read.size(); i++) {
                    number++;
                    RuntimeException wrong = read.get(i).tell(listener);
                    boolean isLast = wrong != null && i == read.size() - 1 && in.readLine() == null;
                    if (wrong != null && (!isLast || number == 1)) {
                        throw new BadData(path + ":" + number + ": not a line of a run record", wrong);
                    }
                }
            }
            if (number == 0) {
                throw new BadData(path + " is empty, not a run record");
            }
        } catch (NoSuchFileException e) {
            throw new UserMistake("there is no run record " + path, e);
        } catch (CharacterCodingException e) {
            throw new BadData(path + " is not text, and so no run record", e);
        } catch (IOException e) {
            throw new ResourceFailure("cannot read " + path + ": " + e.getMessage(), e);
        }
    }

    /**
     * What a run did, from the first line of its record; empty where that does not say it.
     *
     * @throws ResourceFailure when it cannot be read
     */
    public static String title(Path path) {
        RunProgress begun = new RunProgress();
        try (BufferedReader in = Files.newBufferedReader(path)) {
            String first = in.readLine();
            boolean isRecord = first != null && Line.of(first).tell(begun) == null;
            return isRecord && begun.title() != null ? begun.title() : "";
        } catch (CharacterCodingException e) {
            return "";
        } catch (IOException e) {
            throw new ResourceFailure("cannot read " + path + ": " + e.getMessage(), e);
        }
    }

    /** Whether a file begins as a record does. */
    static boolean isOne(Path path) {
        byte[] begin = "{\"event\":\"run-started\",".getBytes(StandardCharsets.US_ASCII);
        try (InputStream in = Files.newInputStream(path)) {
            return Arrays.equals(begin, in.readNBytes(begin.length));
        } catch (IOException e) {
            return false;
        }
    }

    private static List<String> some(BufferedReader in) throws IOException {
        List<String> lines = new ArrayList<>();
        while (lines.size() < CHUNK) {
            String line = in.readLine();
            if (line == null) {
                break;
            }
            lines.add(line);
        }
        return lines;
    }

    /** What a line says, or why it says nothing. */
    record Line(Optional<RunEvent> event, RuntimeException wrong) {

        static Line of(String text) {
            try (JsonParser parser = JSON.createParser(text)) {
                parser.nextToken();
                return new Line(RunEventJson.read(parser), null);
            } catch (IOException e) {
                return new Line(Optional.empty(), new IllegalArgumentException(e.getMessage(), e));
            } catch (ClassCastException
                    | NullPointerException
                    | IllegalArgumentException
                    | ArithmeticException
                    | IndexOutOfBoundsException e) {
                return new Line(Optional.empty(), e);
            }
        }

        /** Tells it; gives what is wrong with it, also where only the listener can see that. */
        RuntimeException tell(RunListener listener) {
            try {
                event.ifPresent(listener::happened);
                return wrong;
            } catch (ClassCastException
                    | NullPointerException
                    | IllegalArgumentException
                    | ArithmeticException
                    | IndexOutOfBoundsException e) {
                return e;
            }
        }
    }

    /** What its events add up to. */
    public RunProgress progress() {
        return progress;
    }

    /** The plan with what really happened, in lines of hardly more than 120 characters. */
    public String print() {
        return print(USUAL_COLUMNS);
    }

    /**
     * The plan with what really happened: tasks and times of stages; rows, bytes and time of steps. Data flows from top to bottom.
     *
     * @param columns the width of the screen; figures for which there is no place behind a step stand below it
     */
    public String print(int columns) {
        RunProgress p = progress;
        StringBuilder out = new StringBuilder();
        out.append("run ").append(p.run()).append(", ").append(p.state());
        if (p.isEnded()) {
            out.append(" in ").append(Sizes.millis(p.millis()));
            out.append(", ").append(Sizes.count(p.rows(), "row"));
            out.append(p.files() > 0 ? ", " + Sizes.count(p.files(), "file") + " of " + Sizes.bytes(p.bytes()) : "");
        }
        out.append('\n').append(p.title().isEmpty() ? "" : p.title() + "\n");
        out.append(p.asked().isEmpty() ? "" : "asked for at " + p.asked() + "\n");
        out.append(p.reason() == null ? "" : "because: " + p.reason() + "\n").append('\n');
        new PrintedPlan(p, columns).print(out);
        out.append(p.workers() > 0 ? "on " + Sizes.count(p.workers(), "worker") + "\n" : "");
        p.lostWorkers().forEach(l -> out.append(l).append('\n'));
        p.counters()
                .forEach((group, names) -> out.append("counted ")
                        .append(group)
                        .append(": ")
                        .append(names.entrySet().stream()
                                .map(c -> c.getKey() + " " + Sizes.count(c.getValue()))
                                .collect(Collectors.joining(", ")))
                        .append('\n'));
        p.warnings().forEach(w -> out.append("warning: ").append(w).append('\n'));
        out.append("record: ").append(path).append('\n');
        return out.toString();
    }
}
