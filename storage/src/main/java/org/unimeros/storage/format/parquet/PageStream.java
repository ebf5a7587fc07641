package org.unimeros.storage.format.parquet;

import com.github.luben.zstd.Zstd;
import dev.hardwood.metadata.ColumnChunk;
import dev.hardwood.metadata.ColumnMetaData;
import dev.hardwood.metadata.CompressionCodec;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.Arrays;
import java.util.zip.CRC32;
import java.util.zip.GZIPInputStream;
import org.apache.parquet.format.DataPageHeaderV2;
import org.apache.parquet.format.PageHeader;
import org.apache.parquet.format.PageType;
import org.apache.parquet.format.Util;
import org.unimeros.storage.store.ReadableFile;
import org.xerial.snappy.Snappy;

/**
 * The pages of a column in a row group, one after the other, unpacked. Reads as much of the file at a time as a page needs.
 * What a page says of itself is held against the footer before memory is taken for it, and against its checksum.
 */
final class PageStream {

    private static final int FIRST_READ = 1 << 18;
    private static final int HEADER_READ = 1 << 12;
    private static final int LONGEST_HEADER = 1 << 24;

    private final ReadableFile file;
    private final ColumnMetaData meta;
    private long position;
    private final long end;
    private byte[] window = new byte[FIRST_READ];
    private int from;
    private int filled;
    private byte[] unpacked = new byte[0];

    PageStream(ReadableFile file, ColumnChunk chunk) {
        this.file = file;
        this.meta = chunk.metaData();
        this.position = chunk.chunkStartOffset();
        this.end = position + meta.totalCompressedSize();
    }

    /** A page and its body, levels included. The body is overwritten when the next page is read. */
    record Page(PageHeader header, PageBytes body) {}

    /** The next page that holds values or a dictionary; null behind the last. */
    Page next() throws IOException {
        while (true) {
            if (from == filled && position == end) {
                return null;
            }
            PageHeader header = header();
            int length = header.getCompressed_page_size();
            require(length >= 0 && ensure(length), "a page is longer than its column");
            if (header.isSetCrc()) {
                CRC32 crc = new CRC32();
                crc.update(window, from, length);
                require((int) crc.getValue() == header.getCrc(), "a page does not have the checksum it should");
            }
            int start = from;
            from += length;
            if (header.getType() != PageType.INDEX_PAGE) {
                return new Page(header, body(header, start, length));
            }
        }
    }

    private PageHeader header() throws IOException {
        for (int size = HEADER_READ; ; size *= 16) {
            boolean all = !ensure(size);
            ByteArrayInputStream in = new ByteArrayInputStream(window, from, Math.min(size, filled - from));
            int before = in.available();
            try {
                PageHeader header = Util.readPageHeader(in);
                from += before - in.available();
                return header;
            } catch (IOException e) {
                if (all || size > LONGEST_HEADER) {
                    throw e;
                }
            }
        }
    }

    /** Reads until so many bytes are there; false when the column has fewer. */
    private boolean ensure(int bytes) throws IOException {
        if (filled - from >= bytes) {
            return true;
        }
        int left = (int) Math.min(end - position, Integer.MAX_VALUE - PageBytes.SLACK);
        int wanted = Math.min(Math.max(bytes - (filled - from), FIRST_READ), left);
        int kept = filled - from;
        if (window.length < kept + wanted + PageBytes.SLACK) {
            window = Arrays.copyOfRange(window, from, from + kept + wanted + PageBytes.SLACK);
        } else {
            System.arraycopy(window, from, window, 0, kept);
        }
        from = 0;
        filled = kept;
        ByteBuffer to = ByteBuffer.wrap(window, kept, wanted);
        while (to.hasRemaining()) {
            int n = file.read(to, position);
            require(n > 0, "the file is shorter than it was");
            position += n;
            filled += n;
        }
        return filled >= bytes;
    }

    private PageBytes body(PageHeader header, int start, int length) throws IOException {
        int size = header.getUncompressed_page_size();
        require(size >= 0 && size <= meta.totalUncompressedSize(), "a page is larger than its column");
        int levels = 0;
        boolean compressed = true;
        if (header.getType() == PageType.DATA_PAGE_V2) {
            DataPageHeaderV2 v2 = header.getData_page_header_v2();
            levels = v2.getDefinition_levels_byte_length() + v2.getRepetition_levels_byte_length();
            require(levels >= 0 && levels <= length && levels <= size, "the levels of a page are longer than the page");
            compressed = v2.isIs_compressed();
        }
        if (unpacked.length < size + PageBytes.SLACK) {
            unpacked = new byte[size + PageBytes.SLACK];
        }
        System.arraycopy(window, start, unpacked, 0, levels);
        if (size > levels) {
            unpack(compressed, start + levels, length - levels, levels, size - levels);
        }
        return new PageBytes(unpacked, 0, size);
    }

    private void unpack(boolean compressed, int start, int length, int to, int size) throws IOException {
        if (!compressed || meta.codec() == CompressionCodec.UNCOMPRESSED) {
            require(length == size, "a page that is not compressed has two sizes");
            System.arraycopy(window, start, unpacked, to, size);
            return;
        }
        long got = switch (meta.codec()) {
            case SNAPPY -> {
                require(Snappy.uncompressedLength(window, start, length) == size, "a page has another size");
                yield Snappy.uncompress(window, start, length, unpacked, to);
            }
            case ZSTD -> Zstd.decompressByteArray(unpacked, to, size, window, start, length);
            case GZIP -> {
                try (GZIPInputStream in = new GZIPInputStream(new ByteArrayInputStream(window, start, length))) {
                    yield in.readNBytes(unpacked, to, size);
                }
            }
            default -> throw new IllegalStateException("pages compressed with " + meta.codec());
        };
        require(got == size, "a page cannot be unpacked");
    }

    private static void require(boolean holds, String otherwise) {
        if (!holds) {
            throw PageBytes.damaged(otherwise);
        }
    }
}
