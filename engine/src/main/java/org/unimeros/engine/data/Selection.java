package org.unimeros.engine.data;

/** Which rows of a column stand in a batch. Rows one after the other, and one row again and again, are copied as such. */
sealed interface Selection {

    /** The first {@code n} of these rows. */
    Column of(Column column, int n);

    /** The same over spare arrays. */
    Column of(Column column, int n, SpareArrays spare);

    /** The row at a place. */
    int row(int place);

    /** These rows where they mean places of another selection, which is null for all rows. */
    default Selection among(Selection first, int n) {
        return switch (first) {
            case null -> this;
            case Same same -> same;
            default -> {
                int[] rows = new int[n];
                for (int i = 0; i < n; i++) {
                    rows[i] = first.row(row(i));
                }
                yield new Rows(rows);
            }
        };
    }

    /** Any rows. */
    final class Rows implements Selection {
        private final int[] rows;

        Rows(int[] rows) {
            this.rows = rows;
        }

        @Override
        public Column of(Column column, int n) {
            return column.gather(rows, n);
        }

        @Override
        public Column of(Column column, int n, SpareArrays spare) {
            return column.gather(rows, n, spare);
        }

        @Override
        public int row(int place) {
            return rows[place];
        }
    }

    /** Rows one after the other. */
    record Run(int from) implements Selection {
        @Override
        public Column of(Column column, int n) {
            return column.slice(from, n);
        }

        @Override
        public Column of(Column column, int n, SpareArrays spare) {
            return column.slice(from, n);
        }

        @Override
        public int row(int place) {
            return from + place;
        }

        @Override
        public Selection among(Selection first, int n) {
            return first instanceof Run run ? new Run(run.from + from) : Selection.super.among(first, n);
        }
    }

    /** One row, as often as there are places. */
    record Same(int row) implements Selection {
        @Override
        public Column of(Column column, int n) {
            return column.repeat(row, n).repeated();
        }

        @Override
        public Column of(Column column, int n, SpareArrays spare) {
            return column.repeat(row, n, spare).repeated();
        }

        @Override
        public int row(int place) {
            return row;
        }

        @Override
        public Selection among(Selection first, int n) {
            return first == null ? this : new Same(first.row(row));
        }
    }
}
