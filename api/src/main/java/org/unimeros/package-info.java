/**
 * The public interface: open an {@link org.unimeros.Engine}, describe {@link org.unimeros.Rows}, ask for results.
 *
 * <pre>{@code
 * try (Engine engine = Engine.local()) {
 *     engine.read("demo/scans")
 *             .where("kind = 'arrival'")
 *             .groupBy("depot_id, day")
 *             .summarise("count(*) as parcels")
 *             .write("out/depot_days", as -> as.parquet().partitionedBy("day").replacingPartitions());
 * }
 * }</pre>
 *
 * Mistakes in a job are reported as {@link org.unimeros.engine.error.UserMistake} when the step is described; all other
 * failures when a result is asked for, as one of the families of {@link org.unimeros.engine.error.UnimerosException}.
 */
package org.unimeros;
