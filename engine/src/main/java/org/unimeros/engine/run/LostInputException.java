package org.unimeros.engine.run;

import org.unimeros.engine.schedule.AttemptId;

/** What another attempt made cannot be read any more; it is made again, and whoever wanted it tries once more. */
@SuppressWarnings("serial")
public final class LostInputException extends RuntimeException {

    private final transient AttemptId producer;

    public LostInputException(AttemptId producer, String message, Throwable cause) {
        super(message, cause);
        this.producer = producer;
    }

    public AttemptId producer() {
        return producer;
    }
}
