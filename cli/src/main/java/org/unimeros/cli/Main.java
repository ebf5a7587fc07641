package org.unimeros.cli;

import java.io.OutputStreamWriter;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.util.Map;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.UsageMessageSpec;

/** The command line. */
@Command(
        name = "unimeros",
        description = "Batch jobs over partitioned datasets: look at them, query them, write results back.",
        mixinStandardHelpOptions = true,
        version = "unimeros 0.1.0-SNAPSHOT",
        synopsisSubcommandLabel = "COMMAND",
        exitCodeListHeading = "%nExit codes:%n",
        exitCodeList = {
            "0:done",
            "2:the command line cannot be understood",
            "3:the job is wrong: unknown names, types that do not fit, data that is there already",
            "4:data is not what it should be; nothing was written",
            "5:a file, a permission, memory or disk space is missing; nothing was written",
            "6:cancelled; nothing was written",
            "130:ended by Ctrl-C (143: by SIGTERM); what was under way is cancelled, nothing was written",
            "70:a mistake in unimeros itself; the log has the details"
        },
        footerHeading = "%nExample:%n",
        footer =
                "  unimeros query --data demo \"select service, count(*) as parcels from parcels group by 1 order by 2\"")
public final class Main {

    private static final Map<String, Class<? extends ConsoleCommand>> COMMANDS = CommandGroup.commandsOfAll();

    private Main() {}

    /** Runs a command and ends the process with its exit code. */
    public static void main(String[] args) {
        LogFile.install();
        PrintWriter out = new PrintWriter(new OutputStreamWriter(System.out, StandardCharsets.UTF_8));
        PrintWriter err = new PrintWriter(new OutputStreamWriter(System.err, StandardCharsets.UTF_8), true);
        int code = run(out, err, Terminal.of(System.getenv()), System.getenv(), args);
        out.flush();
        err.flush();
        System.exit(code);
    }

    /**
     * Runs a command.
     *
     * @return the exit code
     */
    static int run(
            PrintWriter out, PrintWriter err, Terminal terminal, Map<String, String> environment, String... args) {
        Console console = new Console(out, err, terminal, environment);
        CommandLine line = new CommandLine(new Main(), new Factory(console));
        // Reading the annotations of all commands takes longer than a small query, so the one that is called is enough.
        Class<?> called = args.length == 0 ? null : COMMANDS.get(args[0]);
        if (called != null) {
            line.addSubcommand(called);
        } else {
            COMMANDS.values().forEach(line::addSubcommand);
            line.getHelpSectionMap().put(UsageMessageSpec.SECTION_KEY_COMMAND_LIST_HEADING, help -> "");
            line.getHelpSectionMap().put(UsageMessageSpec.SECTION_KEY_COMMAND_LIST, CommandGroup::list);
        }
        line.setOut(out);
        line.setErr(err);
        line.setCaseInsensitiveEnumValuesAllowed(true);
        line.setUsageHelpWidth(Math.clamp(terminal.columns(), 80, 140));
        line.setExecutionExceptionHandler((e, command, parsed) -> report(e, console));
        line.setParameterExceptionHandler((e, parsed) -> misused(e, console));
        int code = args.length == 0 ? usage(line, out) : execute(line, console, args);
        out.flush();
        if (out.checkError() && code == ExitCode.DONE) {
            return ExitCode.RESOURCE;
        }
        return code;
    }

    /** What runs out outside of tasks is a missing resource as well, and told in a line. */
    private static int execute(CommandLine line, Console console, String... args) {
        try {
            return line.execute(args);
        } catch (OutOfMemoryError e) {
            console.progress().clear();
            console.error("the memory of the process is used up (" + e.getMessage()
                    + "); give it more with UNIMEROS_JVM_OPTIONS=-Xmx2g, ask for fewer rows, or write them with --to");
            return ExitCode.RESOURCE;
        } catch (StackOverflowError e) {
            console.progress().clear();
            console.error("what is asked for is nested too deeply; compute parts of it in an inner query or a view");
            return ExitCode.RESOURCE;
        }
    }

    private static int usage(CommandLine line, PrintWriter out) {
        line.usage(out);
        return ExitCode.USAGE;
    }

    private static int misused(CommandLine.ParameterException e, Console console) {
        CommandLine command = e.getCommandLine();
        console.error(e.getMessage() + "; see " + command.getCommandSpec().qualifiedName() + " --help");
        CommandLine.UnmatchedArgumentException.printSuggestions(e, command.getErr());
        return ExitCode.USAGE;
    }

    private static int report(Exception e, Console console) {
        console.progress().clear();
        console.out().flush();
        if (e instanceof UnimerosException known) {
            console.error(known.getMessage());
            return ExitCode.of(known);
        }
        if (e instanceof RunCancelledException) {
            if (!console.isInterrupted()) {
                console.error(e.getMessage());
            }
            return ExitCode.CANCELLED;
        }
        LoggerFactory.getLogger(Main.class).error("unexpected failure", e);
        console.error("unexpected " + e.getClass().getSimpleName() + ": " + e.getMessage() + "; see " + LogFile.PATH);
        return ExitCode.INTERNAL;
    }

    /** Gives every command the console. */
    private record Factory(Console console) implements CommandLine.IFactory {
        @Override
        public <K> K create(Class<K> type) throws Exception {
            if (ConsoleCommand.class.isAssignableFrom(type)) {
                ConsoleCommand command =
                        (ConsoleCommand) type.getDeclaredConstructor().newInstance();
                command.console = console;
                return type.cast(command);
            }
            return CommandLine.defaultFactory().create(type);
        }
    }
}
