/**
 * Keys: their hashes, their numbers, and rows divided by them.
 *
 * <p>Groups, joins and divided outputs all ask the same question of a batch: which rows have equal keys? {@link
 * org.unimeros.engine.key.KeyTable} answers it by giving each distinct key a number; start there. {@link
 * org.unimeros.engine.key.KeyNumbers} does so for one who divides rows and needs no table afterwards, {@link
 * org.unimeros.engine.key.RowDivider} sends rows to files by the hashes of their keys, and {@link
 * org.unimeros.engine.key.KeySketch} finds the frequent ones in fixed space.
 *
 * <h2>Ways to number keys</h2>
 *
 * <p>{@link org.unimeros.engine.key.KeyTables} chooses one by the types of the key, and by what is known of the keys:
 *
 * <table>
 *   <caption>Which keys are numbered how</caption>
 *   <tr><th>keys</th><th>table</th><th>why</th></tr>
 *   <tr><td>any</td><td>{@link org.unimeros.engine.key.RowTable}: hash bits in slots, a batch in rounds, keys compared column by
 *       column ({@link org.unimeros.engine.key.HashSlots})</td><td>no virtual call for each row</td></tr>
 *   <tr><td>one whole number</td><td>{@link org.unimeros.engine.key.WholeNumberTable} on {@link
 *       org.unimeros.engine.key.WholeKeys}: the key stands at its place</td><td>the processor goes on to the next rows while it
 *       waits for memory</td></tr>
 *   <tr><td>whole numbers near to one another, as ids that are counted up</td><td>the same on {@link
 *       org.unimeros.engine.key.NearKeys}: a place for each number there can be</td><td>no hash at all</td></tr>
 *   <tr><td>one text</td><td>{@link org.unimeros.engine.key.TextTable}: up to seven bytes are a whole number ({@link
 *       org.unimeros.engine.key.ShortTexts})</td><td>one comparison</td></tr>
 *   <tr><td>whole numbers of a large table that is shared and only looked up in</td><td>{@link
 *       org.unimeros.engine.key.SettledKeys}, made by {@link org.unimeros.engine.key.SettledKeysBuilder}: places in order, whose
 *       bits say the numbers</td><td>one array to wait for and not two</td></tr>
 * </table>
 *
 * <p>Before each stands what makes a question unnecessary ({@link org.unimeros.engine.key.RememberingLookUp}): of a batch with
 * few different values only those are looked up that are new ({@link org.unimeros.engine.key.KeyCodes}), and of columns that
 * come again none ({@link org.unimeros.engine.key.KeptNumbers}). Another way to number keys is a class that implements {@link
 * org.unimeros.engine.key.KeyTable}, a line in {@link org.unimeros.engine.key.KeyTables}, and a line in the contract test.
 *
 * <h2>What holds for all of them</h2>
 *
 * <ul>
 *   <li>Null is a key like others and equals null. Whoever sees it otherwise, as a join does, leaves such rows out before.
 *   <li>The two zeros of floating point are one key ({@link org.unimeros.engine.key.Zeros}), and all that are not a number are one.
 *   <li>Equal keys have equal {@linkplain org.unimeros.engine.key.Hashing hashes} on every machine and in every encoding of
 *       a column, since rows of several tasks meet by them.
 *   <li>Numbers begin with 0, have no gaps, and follow the order in which keys first came, but where a table says otherwise.
 *   <li>Hashes of a depth are independent of those of the depth before: what was divided by one is divided again by the next.
 * </ul>
 *
 * <h2>Tried, and not kept</h2>
 *
 * <ul>
 *   <li>Both sides of a join sorted by a part of the hash until tables fit the cache: as much is lost as gained.
 *   <li>Places with numbers alone that lead to keys in another array: fast to fill, half as fast to look up.
 *   <li>Places by the high bits of a hash, places of four keys that fill a line of the cache, keys and numbers side by side
 *       in one array, 128 or 256 keys looked up together: no gain.
 *   <li>Keys sorted by their hash and found through a bitmap: a third of the memory, as slow.
 *   <li>Keys divided before they are put into a table: no gain; numbers by places for the tables of shuffled joins: to put rows
 *       in that order costs more than it gains.
 *   <li>Places at which every key is found at the first look: no faster to look up, twice as long to make.
 *   <li>New keys looked up together, as those without a partner are: no gain.
 * </ul>
 */
package org.unimeros.engine.key;
