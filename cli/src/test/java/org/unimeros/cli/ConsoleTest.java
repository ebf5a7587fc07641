package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.Estimate;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import picocli.CommandLine.TypeConversionException;

class ConsoleTest {

    private final StringWriter text = new StringWriter();
    private final AtomicLong clock = new AtomicLong(1_000_000);

    private Progress progress(Terminal terminal) {
        return new Progress(new PrintWriter(text), terminal, clock::get);
    }

    private static PhysicalPlan plan() {
        Stage stage = Stage.numbered(
                1,
                1,
                List.of(new Stage.Pipeline(new Source.Given(List.of()), List.of())),
                new Output.ToResult(),
                new Schema(List.of()),
                Estimate.UNKNOWN,
                OptionalLong.empty());
        return new PhysicalPlan(List.of(stage), new Schema(List.of()));
    }

    private void play(Progress progress) {
        progress.happened(new RunEvent.RunStarted(0, "r", "t", plan().outline(), Map.of(), 2));
        progress.happened(new RunEvent.StageStarted(0, 1, 4));
        progress.happened(new RunEvent.AttemptStarted(0, new AttemptId(1, 2, 0), 1, "a.csv"));
        for (int task = 0; task < 2; task++) {
            AttemptId attempt = new AttemptId(1, task, 0);
            progress.happened(new RunEvent.AttemptStarted(1000L * task, attempt, 0, "b.csv"));
            clock.addAndGet(1000);
            progress.happened(new RunEvent.AttemptFinished(
                    1000 + 1000L * task, attempt, 0, 10, Map.of(1, new StepMetrics(500, 2048, 1)), AttemptUse.NONE));
        }
    }

    @Test
    void progressTellsStageTasksRowsBytesAndTimeLeft() {
        Progress progress = progress(new Terminal(true, true, 120));
        play(progress);
        String line = text.toString().substring(text.toString().lastIndexOf('\r'));
        assertTrue(
                line.endsWith(
                        "[==========          ] 0 of 1 stage done, stage 1: 2 of 4 tasks (1 running), 1,000 rows, 4.0 kB, about 1.0 s left"),
                line);
        progress.happened(new RunEvent.RunEnded(0, "done", null, 1, 0, 0));
        assertTrue(text.toString().endsWith("\r\u001b[K"), "the line was not taken away");
    }

    @Test
    void progressIsCutToTheScreenAndQuietElsewhere() {
        play(progress(new Terminal(true, true, 40)));
        for (String line : text.toString().split("\r")) {
            assertTrue(line.replace("\u001b[K", "").length() < 40, line);
        }
        text.getBuffer().setLength(0);
        play(progress(Terminal.NONE));
        assertEquals("", text.toString());
    }

    @Test
    void whatAProgramIsToldOfSettingsIsToldAsOptions() {
        assertEquals(
                "mend it, or leave such records out: use --on-bad-record skip",
                Console.asOptions("mend it, or leave such records out: set bad-records to skip"));
        assertEquals(
                "run again, or use --set write.conflict=replace",
                Console.asOptions("run again, or set write.conflict to replace"));
        assertEquals("set day.of to 7", Console.asOptions("set day.of to 7"));
    }

    @Test
    void theLauncherTellsWhatTheScreenIs() {
        assertEquals(
                new Terminal(true, true, 132),
                Terminal.of(Map.of("UNIMEROS_TERMINAL", " out err 132", "LC_ALL", "", "LANG", "en_GB.UTF-8")));
        assertEquals(
                new Terminal(true, true, 132, true, true),
                Terminal.of(Map.of(
                        "UNIMEROS_TERMINAL", " out err 132", "LC_CTYPE", "C", "LANG", "en_GB.UTF-8", "TERM", "xterm")));
        assertEquals(new Terminal(false, true, 80), Terminal.of(Map.of("UNIMEROS_TERMINAL", "err 80")));
        assertEquals(Terminal.NONE, Terminal.of(Map.of()));
    }

    @Test
    void coloursAreOfTerminalsWhoseUsersWantThem() {
        Map<String, String> screen = Map.of("UNIMEROS_TERMINAL", "out err 90", "TERM", "xterm", "LANG", "C.UTF-8");
        String query = "select 1 as n";
        String marked = Commands.run(Terminal.of(screen), "query", query).out();
        assertTrue(marked.startsWith("\u001b[1mn\u001b[0m\n-\n1\n"), marked);
        Commands.Result wrong = Commands.run(Terminal.of(screen), "query", "select m");
        assertTrue(wrong.err().contains("\u001b[31munimeros:\u001b[0m "), wrong.err());
        String plan = Commands.run(Terminal.of(screen), "explain", query).out();
        assertTrue(plan.contains("\u001b[1mstage 1\u001b[0m, expected"), plan);
        String slow = new Colours(true).plan("  take 3  -> 3 rows, 2.4 s, 83 % of all task time\nwarning: careful\n");
        assertEquals(
                "  take 3  -> 3 rows, 2.4 s, \u001b[33m83 % of all task time\u001b[0m\n\u001b[33mwarning:\u001b[0m careful\n",
                slow);
        for (Map<String, String> other : List.of(
                Map.of("UNIMEROS_TERMINAL", "out err 90", "TERM", "xterm", "NO_COLOR", "1"),
                Map.of("UNIMEROS_TERMINAL", "out err 90", "TERM", "dumb"),
                Map.of("TERM", "xterm"))) {
            Terminal terminal = Terminal.of(other);
            assertFalse(Commands.run(terminal, "explain", query).out().contains("\u001b"), other.toString());
            assertFalse(Commands.run(terminal, "query", "select m").err().contains("\u001b"), other.toString());
        }
    }

    @Test
    void numbersOfRowsHaveUnits() {
        RowCount rows = new RowCount();
        assertEquals(10_000L, rows.convert("10k"));
        assertEquals(1_000_000L, rows.convert("1M"));
        assertEquals(2_000_000_000L, rows.convert("2g"));
        assertEquals(17L, rows.convert("17"));
        for (String wrong : List.of("", "k", "1.5m", "ten", "99999999999999999999", "9999999999999g")) {
            assertThrows(TypeConversionException.class, () -> rows.convert(wrong), wrong);
        }
    }

    @Test
    void valuesKeepTheirFormInEveryOutput() {
        String sql =
                "select 'a,\"b\"' as t, null as n, '' as e, 1.50 as d, true as b, 2 as i, 'x' || 'y' as \"odd name\","
                        + " cast('NaN' as double) as nan";
        assertEquals(
                "t,n,e,d,b,i,odd name,nan\n\"a,\"\"b\"\"\",,\"\",1.50,true,2,xy,NaN\n",
                Commands.run(Terminal.NONE, "query", sql, "--csv").out());
        assertEquals(
                "{\"t\":\"a,\\\"b\\\"\",\"n\":null,\"e\":\"\",\"d\":1.50,\"b\":true,\"i\":2,\"odd name\":\"xy\",\"nan\":\"NaN\"}\n",
                Commands.run(Terminal.NONE, "query", sql, "--json").out());
        String table = Commands.run(Terminal.NONE, "query", sql).out();
        assertTrue(table.contains("a,\"b\"  null"), table);
        assertFalse(table.contains("\t"), table);
    }

    @Test
    void cellsOfWideTablesAreCutOnAScreenOnly() {
        String sql = "select '" + "long ".repeat(40) + "' as a, '" + "wide ".repeat(40) + "' as b";
        String screen =
                Commands.run(new Terminal(true, false, 70), "query", sql).out();
        assertTrue(screen.lines().allMatch(l -> l.length() <= 70), screen);
        assertTrue(screen.contains("…"), screen);
        String piped = Commands.run(Terminal.NONE, "query", sql).out();
        assertFalse(piped.contains("…"), piped);
    }
}
