package org.unimeros.engine.operator;

import java.util.List;
import org.unimeros.engine.spill.Chunk;

/** What one task made for one part of the next stage. */
public record Part(List<Chunk> chunks, long rows, long bytes) {

    public Part {
        chunks = List.copyOf(chunks);
    }
}
