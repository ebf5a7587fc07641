package org.unimeros.engine.key;

import org.unimeros.engine.data.Column;

/**
 * Asks keys for nothing that is known: of a batch that came before it gives the numbers again ({@link KeptNumbers}), and of a batch with few
 * different values it asks for one row of each ({@link KeyCodes}). One thread.
 */
class RememberingLookUp implements KeyLookUp {

    private final KeyLookUp keys;
    private final KeyCodes codes = new KeyCodes();
    private final KeptNumbers kept = new KeptNumbers();
    /** The batch that was asked for last, where it was kept before; else null. */
    private KeptNumbers.Batch known;

    RememberingLookUp(KeyLookUp keys) {
        this.keys = keys;
    }

    /** How the keys are asked. */
    @FunctionalInterface
    interface Question {
        void ask(Column[] columns, int rows, int[] out);
    }

    @Override
    public final KeyLookUp reader() {
        return new RememberingLookUp(keys.reader());
    }

    @Override
    public final void find(Column[] columns, int rows, int[] out) {
        ask(columns, rows, out, keys::find);
    }

    final void ask(Column[] columns, int rows, int[] out, Question question) {
        known = kept.find(columns, rows);
        if (known == null) {
            askByCodes(columns, rows, out, question);
            kept.keep(columns, rows, out);
        } else {
            System.arraycopy(known.numbers(), 0, out, 0, rows);
        }
    }

    private void askByCodes(Column[] columns, int rows, int[] out, Question question) {
        int fresh = codes.reduce(columns, rows, out);
        if (fresh < 0) {
            question.ask(columns, rows, out);
        } else if (fresh > 0) {
            Column[] firsts = new Column[columns.length];
            for (int c = 0; c < firsts.length; c++) {
                firsts[c] = columns[c].gather(codes.firstRows(), fresh);
            }
            int[] found = new int[fresh];
            question.ask(firsts, fresh, found);
            codes.spread(found, fresh, rows, out);
        }
    }

    final RowsByGroup rowsOfLast() {
        return known == null ? null : known.rowsByGroup();
    }

    /** Keys are numbered anew. */
    final void forget() {
        codes.forget();
        kept.forget();
    }

    @Override
    public final void release() {
        keys.release();
    }

    @Override
    public final long sizeInBytes() {
        return keys.sizeInBytes();
    }
}
