package org.unimeros.cluster.wire;

import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunCancelledException;

/** A failure on its way from one process to another: which of the families, and its message. */
public record Failure(String kind, String message) {

    /** The kind of a failure to read anything where something was to be read. */
    public static final String UNREACHABLE = "unreachable";

    public static Failure of(RuntimeException e) {
        if (e instanceof RunCancelledException) {
            return new Failure("cancelled", e.getMessage().replaceFirst("^the run was cancelled: ", ""));
        }
        if (e instanceof UnimerosException known) {
            String kind = switch (known) {
                case UserMistake u -> "mistake";
                case BadData b -> "bad-data";
                case ResourceFailure r -> "resource";
                case InternalFault i -> "internal";
            };
            return new Failure(kind, e.getMessage());
        }
        return new Failure("internal", "unexpected " + e + "; the log has the details");
    }

    public RuntimeException toException() {
        return switch (kind) {
            case "cancelled" -> new RunCancelledException(message);
            case "mistake" -> new UserMistake(message);
            case "bad-data" -> new BadData(message);
            case "resource", UNREACHABLE -> new ResourceFailure(message);
            default -> new InternalFault(message);
        };
    }
}
