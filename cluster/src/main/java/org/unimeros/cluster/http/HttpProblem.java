package org.unimeros.cluster.http;

/** A request that is answered with an error: the status, and a line that says what and why. */
@SuppressWarnings("serial")
public final class HttpProblem extends RuntimeException {

    private final int status;

    public HttpProblem(int status, String message) {
        super(message);
        this.status = status;
    }

    public int status() {
        return status;
    }
}
