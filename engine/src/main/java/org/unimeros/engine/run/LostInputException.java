package org.unimeros.engine.run;

import org.unimeros.engine.schedule.AttemptId;

/** What another attempt made cannot be read any more; it is made again, and whoever wanted it tries once more. */
@SuppressWarnings("serial")
public final class LostInputException extends RuntimeException {

    private final transient AttemptId producer;
    private final boolean everything;

    /** @param producer what made it; null when that is still there, or is not of this run */
    public LostInputException(AttemptId producer, String message, Throwable cause) {
        this(producer, message, cause, false);
    }

    private LostInputException(AttemptId producer, String message, Throwable cause, boolean everything) {
        super(message, cause);
        this.producer = producer;
        this.everything = everything;
    }

    /** The process that has it cannot be reached, so that nothing else can be read there either. */
    public static LostInputException unreachable(AttemptId producer, String message, Throwable cause) {
        return new LostInputException(producer, message, cause, true);
    }

    /** Whether nothing can be read where this was to be read. */
    public boolean isEverything() {
        return everything;
    }

    public AttemptId producer() {
        return producer;
    }
}
