/**
 * Logical plans: what is to be computed, independent of how. Plans are immutable trees; {@link
 * org.unimeros.engine.plan.PlanBuilder} checks each step as it is added, {@link org.unimeros.engine.plan.Rewrite}
 * improves them by pure functions. Uses data, expr, source and error.
 */
package org.unimeros.engine.plan;
