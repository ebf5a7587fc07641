package org.unimeros.engine.key;

import java.util.function.IntConsumer;

/**
 * Work on something that several threads wait for, done by all of them. One of them leads it, step by step; the pieces of a step are
 * done by the leader and by whoever {@linkplain #help helps} meanwhile. Who comes late helps with what is left.
 */
public final class JointWork {

    private IntConsumer step;
    private int pieces;
    private int nextPiece;
    private int running;
    private Throwable failure;
    private boolean hasEnded;

    /**
     * Does all pieces of a step, in any order and several at a time. For the leader; returns when the last one is done, and what they
     * wrote can be read. When one fails, so does this, and those that were not begun are left out.
     *
     * @param piece does the piece of a number from 0 on
     */
    public void each(int count, IntConsumer piece) {
        synchronized (this) {
            step = piece;
            pieces = count;
            nextPiece = 0;
            notifyAll();
        }
        doPieces();
        boolean interrupted = false;
        synchronized (this) {
            while (running > 0) {
                interrupted |= !waited();
            }
            step = null;
        }
        if (interrupted) {
            Thread.currentThread().interrupt();
        }
        switch (failure) {
            case null -> {}
            case RuntimeException e -> throw e;
            case Error e -> throw e;
            default -> throw new IllegalStateException(failure);
        }
    }

    /** Nothing is left to be done, whether it went well or not. For the leader. */
    public synchronized void end() {
        hasEnded = true;
        notifyAll();
    }

    /** Takes part until the leader says that it has ended. Failures are the leader's. */
    public void help() {
        boolean interrupted = false;
        while (true) {
            doPieces();
            synchronized (this) {
                if (hasEnded) {
                    break;
                }
                if (nextPiece >= pieces) {
                    interrupted |= !waited();
                }
            }
        }
        if (interrupted) {
            Thread.currentThread().interrupt();
        }
    }

    private void doPieces() {
        for (int piece = take(); piece >= 0; piece = take()) {
            Throwable thrown = null;
            try {
                step.accept(piece);
            } catch (RuntimeException | Error e) {
                thrown = e;
            }
            done(thrown);
        }
    }

    private synchronized int take() {
        if (nextPiece >= pieces) {
            return -1;
        }
        running++;
        return nextPiece++;
    }

    private synchronized void done(Throwable thrown) {
        running--;
        if (thrown != null) {
            nextPiece = pieces;
            failure = failure == null ? thrown : failure;
        }
        if (running == 0) {
            notifyAll();
        }
    }

    /** Waits for a change; false when the thread was interrupted instead. */
    private boolean waited() {
        try {
            wait();
            return true;
        } catch (InterruptedException e) {
            return false;
        }
    }
}
