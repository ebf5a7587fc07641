package org.unimeros.storage.format;

import java.io.Serializable;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.util.Optional;
import java.util.function.UnaryOperator;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.TimeFormat;

/**
 * How numbers and times are written in files, where that is not as in SQL: with a decimal comma, or times of a form of their own. Texts are
 * translated to those that SQL has, and back. Immutable.
 */
public final class Notation implements Serializable {

    private static final long serialVersionUID = 1;

    /** Means nothing in any type that has a notation. */
    private static final String NOTHING = "?";

    private final char decimalMark;
    /** Null where dates and timestamps are written as in SQL. */
    private final TimeFormat dates;

    private final TimeFormat timestamps;

    Notation(char decimalMark, Optional<String> dateForm, Optional<String> timestampForm) {
        this.decimalMark = decimalMark;
        this.dates = dateForm.map(f -> TimeFormat.toRead(f, DataType.DATE, "date_form"))
                .orElse(null);
        this.timestamps = timestampForm
                .map(f -> TimeFormat.toRead(f, DataType.TIMESTAMP, "timestamp_form"))
                .orElse(null);
    }

    /** Whether values of a type are written otherwise than in SQL. */
    public boolean isOwn(DataType type) {
        return type == DataType.DATE && dates != null
                || type == DataType.TIMESTAMP && timestamps != null
                || isFraction(type) && decimalMark != '.';
    }

    private static boolean isFraction(DataType type) {
        return type == DataType.DOUBLE || type == DataType.FLOAT || type instanceof DataType.Decimal;
    }

    /** The texts of a column as SQL has them; one that means nothing in the type becomes another such. */
    public TextColumn read(TextColumn texts, int rows, DataType type) {
        return isOwn(type) ? each(texts, rows, text -> read(text, type)) : texts;
    }

    /** The texts of values as SQL has them, as they are written to files. */
    public TextColumn written(TextColumn texts, int rows, DataType type) {
        return isOwn(type) ? each(texts, rows, text -> written(text, type)) : texts;
    }

    private static TextColumn each(TextColumn texts, int rows, UnaryOperator<String> translate) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < rows; i++) {
            if (texts.isNull(i)) {
                out.appendNull();
            } else {
                out.appendText(translate.apply(texts.text(i)));
            }
        }
        return (TextColumn) out.build();
    }

    private String read(String text, DataType type) {
        if (isFraction(type)) {
            return text.indexOf('.') >= 0 ? NOTHING : text.replace(decimalMark, '.');
        }
        try {
            return Values.text((type == DataType.DATE ? dates : timestamps).value(text.strip()));
        } catch (DateTimeException e) {
            return NOTHING;
        }
    }

    private String written(String text, DataType type) {
        if (isFraction(type)) {
            return text.replace('.', decimalMark);
        }
        return type == DataType.DATE
                ? dates.text(LocalDate.parse(text))
                : timestamps.text(Instant.parse(text.replace(' ', 'T') + "Z"));
    }

    /** A text of which the type is to be found out, as SQL has it. */
    public String guessed(String text) {
        if (timestamps != null && !read(text, DataType.TIMESTAMP).equals(NOTHING)) {
            return read(text, DataType.TIMESTAMP);
        }
        if (dates != null && !read(text, DataType.DATE).equals(NOTHING)) {
            return read(text, DataType.DATE);
        }
        boolean isPlain = decimalMark == '.' || text.indexOf(decimalMark) < 0 && text.indexOf('.') < 0;
        return isPlain ? text : read(text, DataType.DOUBLE);
    }
}
