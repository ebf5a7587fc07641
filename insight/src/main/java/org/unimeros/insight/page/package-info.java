/**
 * A run as one page: an HTML file that needs no network and opens from disk.
 *
 * <p>{@link org.unimeros.insight.page.RunPage} puts together the text of the page, its style, its scripts, the library for scales and zoom, and the
 * run as JSON. {@code PageData} makes that JSON out of a {@link org.unimeros.insight.diagnosis.RunHistory} and its diagnosis: {@code PageStages} what
 * stages and steps did, {@code PageAttempts} every attempt in columns, {@code PageLog} what happened in sentences. {@code TimeUse} divides the time of
 * an attempt.
 *
 * <p>{@link org.unimeros.insight.page.PageSite} is what browsers get to see of a folder of records; {@link org.unimeros.insight.page.PageServer} serves it
 * on this machine, and a coordinator does on its port.
 *
 * <p>All computing is done here; the scripts only draw. Of runs with very many attempts, those that follow each other in a slot are put together
 * ({@code PageAttempts}), so that the page stays small; the slowest of each stage, those that failed, and those that findings are about stay by
 * themselves.
 *
 * <p>The scripts are files in the resources of this package, in the order in which {@code RunPage} lists them; they share one scope. Whatever comes
 * from the run gets into the page as text, never as markup.
 */
package org.unimeros.insight.page;
