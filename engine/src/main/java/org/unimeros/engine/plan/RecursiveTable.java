package org.unimeros.engine.plan;

import java.util.List;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.TableSource;

/**
 * The rows of a recursive query: first rows, then those that a step makes of the rows of the level before, until there are none. Whoever runs a plan
 * computes them level by level, and puts them in its place, before the rest is planned.
 *
 * @param first the first rows
 * @param step the rows of the next level, which read those of the level before by a scan of {@code level}
 * @param isDistinct whether rows that were there before are left out
 */
public record RecursiveTable(String name, Plan first, Plan step, Level level, boolean isDistinct)
        implements TableSource {

    /** The rows of the level before, as the step sees them. Each recursive query has one of its own. */
    public static final class Level implements TableSource {
        private final String name;
        private final Schema schema;

        public Level(String name, Schema schema) {
            this.name = name;
            this.schema = schema.qualified(null);
        }

        @Override
        public String name() {
            return name;
        }

        @Override
        public Schema schema() {
            return schema;
        }

        @Override
        public ScanPlan plan(ScanRequest request) {
            return unknown();
        }
    }

    @Override
    public Schema schema() {
        return level.schema();
    }

    /** What is shown where nothing is run. */
    @Override
    public ScanPlan plan(ScanRequest request) {
        return unknown();
    }

    private static ScanPlan unknown() {
        return new ScanPlan(List.of(), 0, 0, 0, 0, -1, List.of(), List.of());
    }
}
