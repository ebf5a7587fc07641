package org.unimeros.storage.format.parquet;

import dev.hardwood.metadata.ColumnChunk;
import dev.hardwood.metadata.CompressionCodec;
import dev.hardwood.metadata.Encoding;
import dev.hardwood.metadata.RepetitionType;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import java.io.IOException;
import java.util.EnumSet;
import java.util.Set;
import org.apache.parquet.format.DataPageHeader;
import org.apache.parquet.format.DataPageHeaderV2;
import org.apache.parquet.format.PageType;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.storage.store.ReadableFile;

/**
 * Reads a column of one value per row from a row group, as many rows at a time as are asked for. Text in a small dictionary
 * stays in its codes. One thread; the columns that are made are not changed by later calls.
 */
abstract class FlatColumn {

    private static final Set<Encoding> ENCODINGS = EnumSet.of(
            Encoding.PLAIN,
            Encoding.PLAIN_DICTIONARY,
            Encoding.RLE,
            Encoding.RLE_DICTIONARY,
            // of levels only, where there are none
            Encoding.BIT_PACKED,
            Encoding.DELTA_BINARY_PACKED,
            Encoding.DELTA_LENGTH_BYTE_ARRAY,
            Encoding.DELTA_BYTE_ARRAY,
            Encoding.BYTE_STREAM_SPLIT);

    private static final Set<CompressionCodec> CODECS = EnumSet.of(
            CompressionCodec.UNCOMPRESSED, CompressionCodec.SNAPPY, CompressionCodec.ZSTD, CompressionCodec.GZIP);

    private final PageStream pages;
    private final int width;
    private final boolean isOptional;
    private long rowsLeft;
    private int leftInPage;
    private RunReader definitions;
    private int[] levels = new int[0];
    private RunReader codes;
    private DeltaReader deltas;
    private PageBytes plain;

    /** How the values of the open page are written. */
    enum Form {
        CODES,
        PLAIN,
        DELTAS,
        /** Truth values as runs of bits. */
        BITS
    }

    private Form form;

    /**
     * Where a column stands in a file.
     *
     * @param width the bytes of each value; 0 when each has a length of its own, or a bit
     */
    record Stored(ReadableFile file, ColumnChunk chunk, PrimitiveNode node, int width) {}

    FlatColumn(Stored stored) {
        this.pages = new PageStream(stored.file, stored.chunk);
        this.width = stored.width;
        this.isOptional = stored.node.repetitionType() == RepetitionType.OPTIONAL;
        this.rowsLeft = stored.chunk.metaData().numValues();
    }

    /** Whether everything in a chunk is written in a way that is known here. */
    static boolean isKnown(ColumnChunk chunk) {
        return CODECS.contains(chunk.metaData().codec())
                && ENCODINGS.containsAll(chunk.metaData().encodings());
    }

    /** Reads the next rows, of which there must be as many. */
    final Column read(int rows) throws IOException {
        long[] nulls = isOptional ? Bits.make(rows) : null;
        boolean anyNull = false;
        begin(rows);
        int at = 0;
        while (at < rows) {
            while (leftInPage == 0) {
                nextPage();
            }
            int n = Math.min(leftInPage, rows - at);
            int present = isOptional ? present(nulls, at, n) : n;
            values(form, at, present);
            if (present < n) {
                anyNull = true;
                spread(nulls, at, n, present);
            }
            at += n;
            leftInPage -= n;
            rowsLeft -= n;
        }
        return end(rows, anyNull ? nulls : null);
    }

    /** Marks the rows that are null; returns how many are not. */
    private int present(long[] nulls, int at, int n) {
        int certain = definitions.skipEqual(1, n);
        if (certain == n) {
            return n;
        }
        int rest = n - certain;
        if (levels.length < rest) {
            levels = new int[rest];
        }
        definitions.read(levels, 0, rest);
        int present = n;
        for (int i = 0; i < rest; i++) {
            if (levels[i] == 0) {
                Bits.set(nulls, at + certain + i);
                present--;
            }
        }
        return present;
    }

    private void nextPage() throws IOException {
        PageStream.Page page = pages.next();
        if (page == null) {
            throw PageBytes.damaged("a column has fewer values than its row group has rows");
        }
        PageBytes body = page.body();
        if (page.header().getType() == PageType.DICTIONARY_PAGE) {
            int entries = page.header().getDictionary_page_header().getNum_values();
            if (entries < 0 || entries > body.left()) {
                throw PageBytes.damaged("a dictionary of " + entries + " values in " + body.left() + " bytes");
            }
            dictionary(body, entries);
        } else if (page.header().getType() == PageType.DATA_PAGE_V2) {
            DataPageHeaderV2 v2 = page.header().getData_page_header_v2();
            body.skip(v2.getRepetition_levels_byte_length());
            int start = body.skip(v2.getDefinition_levels_byte_length());
            definitions = new RunReader(new PageBytes(body.bytes, start, body.at), 1);
            open(body, v2.getNum_values(), v2.getEncoding());
        } else {
            DataPageHeader v1 = page.header().getData_page_header();
            if (isOptional) {
                int length = body.nextInt();
                int start = body.skip(length);
                if (v1.getDefinition_level_encoding() != org.apache.parquet.format.Encoding.RLE) {
                    throw PageBytes.damaged("levels are written as " + v1.getDefinition_level_encoding());
                }
                definitions = new RunReader(new PageBytes(body.bytes, start, body.at), 1);
            }
            open(body, v1.getNum_values(), v1.getEncoding());
        }
    }

    private void open(PageBytes body, int values, org.apache.parquet.format.Encoding encoding) {
        if (values < 0 || values > rowsLeft) {
            throw PageBytes.damaged("a page has more values than its row group has rows");
        }
        leftInPage = values;
        plain = body;
        switch (encoding) {
            case PLAIN -> form = Form.PLAIN;
            case PLAIN_DICTIONARY, RLE_DICTIONARY -> {
                form = Form.CODES;
                // A page of nulls alone may have no codes at all.
                codes = body.left() == 0 ? new RunReader(body, 0) : new RunReader(body, body.bytes[body.skip(1)]);
            }
            case DELTA_BINARY_PACKED, DELTA_LENGTH_BYTE_ARRAY -> {
                form = Form.DELTAS;
                deltas = new DeltaReader(body);
                openDeltas(deltas, values);
            }
            case DELTA_BYTE_ARRAY -> {
                form = Form.PLAIN;
                plain = PageForms.completed(body, values, width == 0);
            }
            case BYTE_STREAM_SPLIT -> {
                form = Form.PLAIN;
                plain = PageForms.joined(body, width);
            }
            case RLE -> {
                form = Form.BITS;
                body.nextInt();
                codes = new RunReader(body, 1);
            }
            default -> throw PageBytes.damaged("values are written as " + encoding);
        }
    }

    /**
     * All numbers of a reader, which are lengths of values. Those of equal values take no bytes.
     *
     * @param most the values that the page has
     */
    static int[] lengths(DeltaReader reader, int most) {
        int count = reader.count();
        if (count > most) {
            throw PageBytes.damaged("a page has more lengths than values");
        }
        int[] lengths = new int[count];
        for (int i = 0; i < count; i++) {
            lengths[i] = Math.toIntExact(reader.next());
        }
        return lengths;
    }

    /** Differences were found at the beginning of a page of so many values. */
    void openDeltas(DeltaReader reader, int values) {
        // whole numbers are read one after the other
    }

    /** Codes, in a page that has such. */
    final RunReader codes() {
        return codes;
    }

    final DeltaReader deltas() {
        return deltas;
    }

    final PageBytes plain() {
        return plain;
    }

    /** Takes in a dictionary. */
    abstract void dictionary(PageBytes page, int entries);

    /** Makes room for rows. */
    abstract void begin(int rows);

    /** Reads values, one behind the other, into the rows from a number on. */
    abstract void values(Form from, int at, int n);

    /** Moves values that stand one behind the other to the rows that are not null. */
    abstract void spread(long[] nulls, int at, int rows, int present);

    /** The rows that were read. */
    abstract Column end(int rows, long[] nulls);
}
