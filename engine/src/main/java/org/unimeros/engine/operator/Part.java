package org.unimeros.engine.operator;

import java.util.List;
import org.unimeros.engine.data.Batch;

/** What one task made for one part of the next stage. */
public record Part(List<Batch> batches, long rows, long bytes) {

    public Part {
        batches = List.copyOf(batches);
    }
}
