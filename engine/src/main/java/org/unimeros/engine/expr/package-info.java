/**
 * Resolved expressions: typed trees over column indices, how they are built, and how they are evaluated on batches.
 * Start with {@link org.unimeros.engine.expr.Expression}, then {@link org.unimeros.engine.expr.Functions} (building) and
 * {@link org.unimeros.engine.expr.Evaluator} (running). Uses data and error only.
 */
package org.unimeros.engine.expr;
