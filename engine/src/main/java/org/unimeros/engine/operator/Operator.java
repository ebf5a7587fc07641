package org.unimeros.engine.operator;

import org.unimeros.engine.data.Batch;

/** A link in the chain of a task: takes batches, and pushes what it makes of them to the next link. One thread uses it. */
public abstract class Operator {

    /** A batch with at least one row. */
    public abstract void accept(Batch batch);

    /** No more batches come; pushes what is still held. Called once, unless the task fails. */
    public abstract void finish();

    /** Whether further batches would change anything. */
    public boolean wantsMore() {
        return true;
    }

    /**
     * Whether nothing of the next batch is needed any more when {@link #accept} has returned, so that the arrays of its columns can be
     * written again. Asked before every batch.
     */
    public boolean forgetsBatch() {
        return false;
    }

    /** A link that has a next one. */
    public abstract static class Inner extends Operator {
        public final Operator next;

        public Inner(Operator next) {
            this.next = next;
        }

        @Override
        public void finish() {
            next.finish();
        }

        @Override
        public boolean wantsMore() {
            return next.wantsMore();
        }

        /** Pushes a batch on, in pieces where it is far larger than usual. */
        protected final void push(Batch batch) {
            int rows = batch.rowCount();
            if (rows == 0) {
                return;
            }
            if (rows <= 2 * Batch.TARGET_ROWS) {
                next.accept(batch);
                return;
            }
            for (int from = 0; from < rows && next.wantsMore(); from += Batch.TARGET_ROWS) {
                next.accept(batch.slice(from, Math.min(Batch.TARGET_ROWS, rows - from)));
            }
        }
    }
}
