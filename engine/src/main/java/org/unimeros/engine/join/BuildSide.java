package org.unimeros.engine.join;

import java.util.List;
import org.unimeros.engine.spill.Chunk;

/** The side of a join that rows are looked up in. */
public sealed interface BuildSide {

    /** It is in memory. */
    record InMemory(JoinTable table) implements BuildSide {}

    /** It is too large for that. */
    record TooLarge(List<Chunk> chunks) implements BuildSide {
        public TooLarge {
            chunks = List.copyOf(chunks);
        }
    }
}
