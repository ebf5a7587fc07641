/**
 * Code that a job brings along: how it travels to where tasks run ({@link OwnCode}), what a step of a plan asks of it
 * ({@link RowCode}, {@link GroupCode}), and what a task tells it and takes from it ({@link TaskScope}, {@link Counters}). What the
 * code is written against stands in the public interface, which turns it into these. Knows data and errors only.
 */
package org.unimeros.engine.own;
