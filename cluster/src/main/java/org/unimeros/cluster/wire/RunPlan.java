package org.unimeros.cluster.wire;

import java.io.Serializable;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.stage.PhysicalPlan;

/**
 * What is to be carried out, as it travels.
 *
 * @param badRecords the file that diverted records are kept in
 */
public record RunPlan(PhysicalPlan plan, RunSettings settings, String badRecords) implements Serializable {}
