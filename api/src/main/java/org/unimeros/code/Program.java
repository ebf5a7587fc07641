package org.unimeros.code;

import java.io.Serializable;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Consumer;
import org.unimeros.engine.error.UserMistake;

/**
 * An external program as mapper, combiner or reducer: it reads lines on its standard input and writes lines on its standard output.
 *
 * <ul>
 *   <li>A mapper reads records, a line each, and writes a key, a separator and a value per line; the separator is a tab unless another one
 *       is given. A line without a separator is a key with an empty value.
 *   <li>A combiner and a reducer read keys and values in that form, all of a key one after the other, a reducer in the order of the keys;
 *       a combiner writes the same, a reducer whatever it likes, a record per line.
 *   <li>What they write on their standard error goes to the log of the task, but for lines such as {@code counter:parcels,heavy,3}, which
 *       add to a counter: group, name and amount.
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
        return new ProgramMapper(this);
    }

    /** Combines; only where keys are divided by their hash or by ranges, since what it writes can have any key. */
    public Combiner<String, String> combiner() {
        return new ProgramCombiner(this);
    }

    /** Reduces keys and values to lines. */
    public Reducer<String, String, String> reducer() {
        return new ProgramReducer(this);
    }

    @Override
    public String toString() {
        return command.size() == 3 && command.get(0).equals("sh") ? command.get(2) : String.join(" ", command);
    }

    /** Hands a line on as key and value. */
    static void split(String line, String separator, Pairs<String, String> out) {
        int at = line.indexOf(separator);
        if (at < 0) {
            out.add(line, "");
        } else {
            out.add(line.substring(0, at), line.substring(at + separator.length()));
        }
    }

    /** A program that serves a task as one of the three. */
    private abstract static class Serving implements TaskCode {
        final Program program;
        private final String role;
        private transient TaskContext context;
        private transient ProgramRun run;

        Serving(Program program, String role) {
            this.program = program;
            this.role = role;
        }

        @Override
        public String title() {
            return program.toString();
        }

        @Override
        public void setUp(TaskContext given) {
            context = given;
        }

        /** Writes a line to the program, which is started with the first one. */
        final void write(String line, Consumer<String> out) {
            started().write(line, out);
        }

        private ProgramRun started() {
            if (run == null) {
                run = new ProgramRun(program, role, context);
            }
            return run;
        }

        /** Ends the program, also one that was given nothing. */
        final void end(Consumer<String> out) {
            started().finish(out);
            cleanUp();
        }

        final boolean isStarted() {
            return run != null;
        }

        @Override
        public void cleanUp() {
            if (run != null) {
                run.close();
                run = null;
            }
        }
    }

    private static final class ProgramMapper extends Serving implements Mapper<String, String, String> {
        ProgramMapper(Program program) {
            super(program, "mapper");
        }

        @Override
        public void map(String line, Pairs<String, String> out) {
            write(line, made -> split(made, program.separator, out));
        }

        @Override
        public void finish(Pairs<String, String> out) {
            end(made -> split(made, program.separator, out));
        }
    }

    private static final class ProgramCombiner extends Serving implements Combiner<String, String> {
        private transient List<String> made;

        ProgramCombiner(Program program) {
            super(program, "combiner");
        }

        @Override
        public void combine(String key, Iterable<String> values, Out<String> out) {
            if (!isStarted()) {
                made = new ArrayList<>();
            }
            for (String value : values) {
                write(key + program.separator + value, made::add);
            }
        }

        @Override
        public int pairsAtOnce() {
            return 1 << 20;
        }

        @Override
        public void finishRun(Pairs<String, String> out) {
            if (isStarted()) {
                end(made::add);
                made.forEach(line -> split(line, program.separator, out));
            }
        }
    }

    private static final class ProgramReducer extends Serving implements Reducer<String, String, String> {
        ProgramReducer(Program program) {
            super(program, "reducer");
        }

        @Override
        public void reduce(String key, Iterable<String> values, Out<String> out) {
            for (String value : values) {
                write(key + program.separator + value, out::add);
            }
        }

        @Override
        public void finish(Out<String> out) {
            end(out::add);
        }
    }
}
