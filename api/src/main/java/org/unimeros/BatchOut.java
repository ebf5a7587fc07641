package org.unimeros;

import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Schema;

/** Rows that own code makes one by one, handed on in batches. Used by one thread. */
final class BatchOut {

    final BatchBuilder builder;
    private Consumer<Batch> to;

    BatchOut(Schema schema) {
        this.builder = new BatchBuilder(schema);
    }

    /** Says where batches go from now on. */
    void to(Consumer<Batch> next) {
        to = next;
    }

    /** A row was appended column by column. */
    void endRow() {
        builder.endRow();
        if (builder.rowCount() == Batch.TARGET_ROWS) {
            flush();
        }
    }

    void flush() {
        if (builder.rowCount() > 0) {
            to.accept(builder.build());
        }
    }
}
