package org.unimeros.cluster.wire;

import java.io.Serializable;
import java.util.List;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.stage.PhysicalPlan;

/**
 * What is to be carried out, as it travels.
 *
 * @param badRecords the file that diverted records are kept in
 * @param files what the job brings along
 */
public record RunPlan(PhysicalPlan plan, RunSettings settings, String badRecords, List<FileRef> files)
        implements Serializable {}
