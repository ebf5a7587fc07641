/**
 * Keys: their hashes, their numbers, and rows divided by them.
 *
 * <p>Groups, joins and divided outputs all ask the same question of a batch: which rows have equal keys? {@link
 * org.unimeros.engine.key.KeyTable} answers it by giving each distinct key a number; start there. {@link
 * org.unimeros.engine.key.KeyNumbers} does so for one who divides rows and needs no table afterwards, {@link
 * org.unimeros.engine.key.RowDivider} sends rows to files by the hashes of their keys, and {@link
 * org.unimeros.engine.key.KeySketch} finds the frequent ones in fixed space.
 *
 * <p>What holds for all of them:
 *
 * <ul>
 *   <li>Null is a key like others and equals null. Whoever sees it otherwise, as a join does, leaves such rows out before.
 *   <li>The two zeros of floating point are one key ({@link org.unimeros.engine.key.Zeros}), and all that are not a number are one.
 *   <li>Equal keys have equal {@linkplain org.unimeros.engine.key.Hashing hashes} on every machine and in every encoding of
 *       a column, since rows of several tasks meet by them.
 *   <li>Numbers begin with 0, have no gaps, and follow the order in which keys first came, but where a table says otherwise.
 *   <li>Hashes of a depth are independent of those of the depth before: what was divided by one is divided again by the next.
 * </ul>
 */
package org.unimeros.engine.key;
