/**
 * How written files become part of a dataset, in one step.
 *
 * <pre>
 * dataset/
 *   day=2031-03-04/r1-0000-0.parquet     what readers see
 *   _unimeros/
 *     staging/RUN/day=…/FILE             files of a run that is not published yet
 *     staging/RUN/_seen                  how long {@code published} was when the run began
 *     staging/RUN.lock                   held by the process that writes the run
 *     publication.json                   a publication that is under way
 *     generation                         the run that was published last
 *     published                          all runs that were, and the folders that each wrote to
 *     replaced/RUN/day=…/FILE            files that RUN replaced, for readers that had listed them before
 *     replaced/RUN/_since                when it did
 *     publish.lock                       held while publishing
 *     .changing                          held while a small file is compared and replaced
 * </pre>
 *
 * A run writes below {@code staging/RUN}. To publish, it writes {@code publication.json}, which lists the files to be
 * moved in and those to be removed: that is the one step, which the {@link org.unimeros.storage.store.Store} does as a whole and only if no record is
 * there. Then it moves, removes, and deletes the record. Whoever lists the dataset while the record is there sees the result of the publication already:
 * listed files at their old or new place, and none of the removed ones; a listing during which the record or the
 * generation changed is made again. Whoever writes next completes the record of a
 * process that died, and deletes the staging folders whose locks nobody holds.
 *
 * <p>A record is believed only if it is well formed and every path in it lies inside the dataset. A run is published once, however many were published after
 * it. A run that replaces data is refused when another one has published to the same folders since it began, as the note of what it has seen
 * shows. {@code PublicationFaultsTest} lets every operation on the store fail in turn.
 */
package org.unimeros.storage.commit;
