package org.unimeros.cli;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.Job;
import org.unimeros.JobSpec;
import org.unimeros.Jobs;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "submit",
        description = {
            "Launches a program, or a script of SQL, as a job of a coordinator, and follows it to its end.",
            "The program opens its engine with Engine.open(). Its output and exit code become those of this command."
        },
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {
            "  unimeros submit network-jobs.jar --main network.DailyTotals --attach postcodes.csv 2031-03-01",
            "  unimeros submit -f totals.sql --data demo --param day=7 --name totals --detach",
            "Options of the program itself stand behind --:  unimeros submit network-jobs.jar -- --day 7"
        })
final class SubmitCommand extends ConsoleCommand {

    /** Where the main program of a job runs. */
    enum Place {
        HERE,
        WORKER
    }

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Parameters(
            arity = "0..*",
            paramLabel = "JOB.jar ARGUMENT",
            description = "The jar of the program, and what its main method is given; {attached:NAME} in an argument"
                    + " becomes the path of an attachment.")
    List<String> words = List.of();

    @Option(
            names = "--main",
            paramLabel = "CLASS",
            description = "The main class; the one that the jar names, unless it is given.")
    String mainClass;

    @Option(names = "--class", hidden = true)
    String earlierMain;

    @Option(
            names = {"-f", "--file"},
            paramLabel = "FILE",
            description = "Launches a script of SQL instead of a program.")
    Path script;

    @Option(
            names = {"-d", "--data"},
            paramLabel = "DIR",
            description = "With -f: a folder whose sub-folders and files are datasets by their names.")
    Path data;

    @Option(names = "--param", paramLabel = "NAME=VALUE", description = "With -f: what :NAME stands for.")
    Map<String, String> parameters = new LinkedHashMap<>();

    @Option(
            names = "--attach",
            paramLabel = "FILE",
            description = "A file for the program and its tasks, by its name; a .zip is unpacked where it is opened, a"
                    + " .jar has classes.")
    List<Path> attach = List.of();

    @Option(
            names = {"-s", "--set"},
            paramLabel = "NAME=VALUE",
            description = "Changes a setting of the job; `unimeros settings` lists them.")
    Map<String, String> set = new LinkedHashMap<>();

    @Option(
            names = "--priority",
            paramLabel = "0–100",
            description = "Where jobs wait for slots, higher ones come first; 50 unless it is given.")
    Integer priority;

    @Option(
            names = "--limit",
            paramLabel = "N",
            description = "No more tasks of a run of the job at the same time, on all workers together.")
    Integer limit;

    @Option(names = "--name", paramLabel = "NAME", description = "What `unimeros jobs` shows it as.")
    String name;

    @Option(
            names = "--main-on",
            paramLabel = "here|worker",
            defaultValue = "worker",
            description = "Where the main program runs: on a worker, unless it is given, or here.")
    Place place;

    @Option(names = "--detach", description = "Prints the id of the job, and does not wait for it.")
    boolean detach;

    @Override
    public Integer call() {
        if (earlierMain != null) {
            throw new UserMistake("the main class is named with --main " + earlierMain);
        }
        Jobs jobs = options.jobs(console);
        JobSpec program = program();
        attach.forEach(program::attach);
        set.forEach(program::set);
        if (priority != null) {
            program.set("run.priority", priority.toString());
        }
        if (limit != null) {
            program.set("run.slot-limit", limit.toString());
        }
        if (name != null) {
            program.name(name);
        }
        if (detach) {
            if (place == Place.HERE) {
                throw new UserMistake("a main program that runs here ends with this command; leave out --detach, or"
                        + " --main-on here");
            }
            Job job = jobs.submit(program);
            console.out().println(job.id());
            console.note("see: unimeros job " + job.id() + ", unimeros logs --follow " + job.id() + ", unimeros cancel "
                    + job.id());
            return ExitCode.DONE;
        }
        if (place == Place.WORKER) {
            return JobFollower.follow(jobs.submit(program), console);
        }
        JobFollower follower = new JobFollower(console, null);
        return follower.exitCode(jobs.runHere(program, follower));
    }

    private JobSpec program() {
        if (script != null) {
            return script();
        }
        if (words.isEmpty()) {
            throw new UserMistake("name the jar of a program, or a script of SQL with -f");
        }
        if (data != null || !parameters.isEmpty()) {
            throw new UserMistake("--data and --param are for scripts (-f); what is for the program stands behind --");
        }
        JobSpec program = JobSpec.jar(Path.of(words.get(0))).arguments(words.subList(1, words.size()));
        return mainClass == null ? program : program.mainClass(mainClass);
    }

    /** A script is carried out by this very command on a worker. */
    private JobSpec script() {
        if (!words.isEmpty() || mainClass != null) {
            throw new UserMistake("give the jar of a program or a script of SQL, not both");
        }
        if (!Files.isReadable(script)) {
            throw new UserMistake("cannot read the script " + script);
        }
        String file = script.getFileName().toString();
        List<String> arguments = new ArrayList<>(List.of("query", "--file", "{attached:" + file + "}"));
        if (data != null) {
            if (!Files.exists(data)) {
                throw new UserMistake("there is no folder " + data);
            }
            arguments.addAll(List.of("--data", data.toAbsolutePath().toString()));
        }
        parameters.forEach((key, value) -> arguments.addAll(List.of("--param", key + "=" + value)));
        return JobSpec.program(Main.class.getName())
                .attach(script)
                .arguments(arguments)
                .name(file);
    }
}
