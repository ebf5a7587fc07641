package org.unimeros.storage.format.parquet;

import com.github.luben.zstd.Zstd;
import java.io.IOException;
import org.apache.parquet.format.CompressionCodec;
import org.unimeros.engine.error.UserMistake;
import org.xerial.snappy.Snappy;

/** Compresses the bodies of pages. */
interface Compressor {

    CompressionCodec codec();

    byte[] compress(byte[] bytes) throws IOException;

    static Compressor of(String name) {
        return switch (name) {
            case "zstd" -> make(CompressionCodec.ZSTD, bytes -> Zstd.compress(bytes, 1));
            case "snappy" -> make(CompressionCodec.SNAPPY, Snappy::compress);
            case "none" -> make(CompressionCodec.UNCOMPRESSED, bytes -> bytes);
            default -> throw new UserMistake("unknown compression " + name);
        };
    }

    /** The work of a compressor. */
    interface Work {
        byte[] compress(byte[] bytes) throws IOException;
    }

    private static Compressor make(CompressionCodec codec, Work work) {
        return new Compressor() {
            @Override
            public CompressionCodec codec() {
                return codec;
            }

            @Override
            public byte[] compress(byte[] bytes) throws IOException {
                return work.compress(bytes);
            }
        };
    }
}
