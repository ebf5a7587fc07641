package org.unimeros.engine.run;

import java.util.List;
import org.unimeros.engine.source.BadRecord;

/** Keeps records that could not be read, once the attempts that met them have succeeded. */
public interface BadRecordKeeper {

    /** Appends records of one task. */
    void keep(List<BadRecord> records);

    /** Where they are, for the report. */
    String place();
}
