package org.unimeros.cluster.client;

import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.cluster.coordinator.Demand;
import org.unimeros.engine.error.UserMistake;

/** From how few to how many workers there are, as there is work for them. */
public record WorkerRange(int least, int most) {

    private static final Pattern FORM = Pattern.compile("(\\d{1,3})(?:\\.\\.(\\d{1,3}))?");
    private static final int MOST = 256;

    public WorkerRange {
        if (least < 0 || most < 1 || least > most || most > MOST) {
            throw new UserMistake(
                    "workers are from 0 or more to 1 or more, at most " + MOST + "; found " + least + " to " + most);
        }
    }

    /** Always as many. */
    public static WorkerRange of(int workers) {
        return new WorkerRange(workers, workers);
    }

    /** {@code 3}, or {@code 1..8}. */
    public static WorkerRange parse(String text) {
        Matcher matcher = FORM.matcher(text.strip());
        if (!matcher.matches()) {
            throw new UserMistake("a number of workers is written as 3 or as 1..8; found " + text);
        }
        int least = Integer.parseInt(matcher.group(1));
        return new WorkerRange(least, matcher.group(2) == null ? least : Integer.parseInt(matcher.group(2)));
    }

    public boolean isElastic() {
        return least < most;
    }

    /**
     * How many workers there should be.
     *
     * @param slots of each worker
     * @param programs that each worker launches
     */
    int wanted(Demand demand, int slots, int programs) {
        int forTasks = (demand.slots() + slots - 1) / slots;
        int forPrograms = (demand.programs() + programs - 1) / programs;
        return Math.clamp(Math.max(forTasks, forPrograms), least, most);
    }
}
