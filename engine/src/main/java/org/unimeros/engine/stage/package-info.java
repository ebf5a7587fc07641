/**
 * Physical plans: stages cut at shuffles, made of pipelines that tasks run. {@link
 * org.unimeros.engine.stage.StagePlanner} makes them from logical plans and says why it chose what it chose. Uses data,
 * expr, plan, source and error.
 */
package org.unimeros.engine.stage;
