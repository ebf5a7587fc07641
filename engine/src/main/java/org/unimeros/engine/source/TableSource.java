package org.unimeros.engine.source;

import org.unimeros.engine.data.Schema;

/** A table that can be scanned. Implementations are immutable and can be used by several threads. */
public interface TableSource {

    /** The name by which the user knows it, for plans and messages. */
    String name();

    /** All columns, without qualifiers. */
    Schema schema();

    /** Lists what a scan has to read; called once, when a result has been asked for. */
    ScanPlan plan(ScanRequest request);
}
