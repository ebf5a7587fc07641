package org.unimeros.cli;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import picocli.CommandLine.Help;
import picocli.CommandLine.Help.Column;
import picocli.CommandLine.Help.Column.Overflow;
import picocli.CommandLine.Help.TextTable;

/**
 * Commands for one purpose, by which help lists them.
 *
 * @param purpose what somebody wants who looks for one of them
 * @param commands by name, in the order in which they are listed
 */
record CommandGroup(String purpose, Map<String, Class<? extends ConsoleCommand>> commands) {

    private static final int NAME_WIDTH = 15;

    static final List<CommandGroup> ALL = List.of(
            of("Try it out")
                    .with("demo", DemoCommand.class)
                    .with("demo-data", DemoDataCommand.class)
                    .with("example", ExampleCommand.class),
            of("Look at data, query it, write it")
                    .with("inspect", InspectCommand.class)
                    .with("head", HeadCommand.class)
                    .with("query", QueryCommand.class)
                    .with("mapreduce", MapReduceCommand.class)
                    .with("explain", ExplainCommand.class),
            of("See how runs go, and why they are slow")
                    .with("runs", RunsCommand.class)
                    .with("page", PageCommand.class)
                    .with("report", ReportCommand.class)
                    .with("diagnose", DiagnoseCommand.class)
                    .with("compare", CompareCommand.class),
            of("Run jobs on a cluster")
                    .with("submit", SubmitCommand.class)
                    .with("jobs", JobsCommand.class)
                    .with("job", JobCommand.class)
                    .with("logs", LogsCommand.class)
                    .with("cancel", CancelCommand.class),
            of("Operate a cluster")
                    .with("cluster", ClusterCommand.class)
                    .with("coordinator", CoordinatorCommand.class)
                    .with("worker", WorkerCommand.class)
                    .with("workers", WorkersCommand.class),
            of("Look things up").with("functions", FunctionsCommand.class).with("settings", SettingsCommand.class));

    private static CommandGroup of(String purpose) {
        return new CommandGroup(purpose, new LinkedHashMap<>());
    }

    private CommandGroup with(String name, Class<? extends ConsoleCommand> command) {
        commands.put(name, command);
        return this;
    }

    /** All commands by name. */
    static Map<String, Class<? extends ConsoleCommand>> commandsOfAll() {
        Map<String, Class<? extends ConsoleCommand>> all = new LinkedHashMap<>();
        ALL.forEach(group -> all.putAll(group.commands));
        return all;
    }

    /** The commands by group, each with the first sentence of its description. */
    static String list(Help help) {
        int width = help.commandSpec().usageMessage().width();
        StringBuilder out = new StringBuilder();
        for (CommandGroup group : ALL) {
            TextTable table = TextTable.forColumns(
                    help.colorScheme(),
                    new Column(NAME_WIDTH, 2, Overflow.SPAN),
                    new Column(width - NAME_WIDTH, 0, Overflow.WRAP));
            group.commands.keySet().forEach(name -> {
                String[] says = help.subcommands()
                        .get(name)
                        .commandSpec()
                        .usageMessage()
                        .description();
                table.addRowValues(
                        help.colorScheme().commandText(name), help.colorScheme().text(firstSentence(says[0])));
            });
            out.append(String.format("%n%s:%n%s", group.purpose, table));
        }
        return out.toString();
    }

    private static String firstSentence(String text) {
        return text.split("[.:;] ", 2)[0].replaceFirst("\\.$", "");
    }
}
