/**
 * What runs inside a task: operators that push batches from a source to an output, and the hash tables, accumulators
 * and orders that they are made of. Start with {@link org.unimeros.engine.operator.Operator}. Uses data, expr, source,
 * plan, stage and error.
 */
package org.unimeros.engine.operator;
