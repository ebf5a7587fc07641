/**
 * A small result as a picture: bars or lines, as text for a terminal and as an image.
 *
 * <p>{@link org.unimeros.insight.chart.ChartColumns} tells which columns name what is drawn and which hold the numbers. {@code BarsMaker} and
 * {@code LinesMaker} take the rows one by one, so that a result of any size can be drawn: of many bars they keep the largest and sum up the rest.
 * They make a {@link org.unimeros.insight.chart.ChartData}, which {@link org.unimeros.insight.chart.ChartText} prints and
 * {@link org.unimeros.insight.chart.ChartImage} draws.
 *
 * <p>What is left out of a picture is said in its notes, never silently.
 */
package org.unimeros.insight.chart;
