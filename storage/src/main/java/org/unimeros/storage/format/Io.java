package org.unimeros.storage.format;

import java.io.FileNotFoundException;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.AccessDeniedException;
import java.nio.file.FileSystemException;
import java.nio.file.NoSuchFileException;
import java.util.zip.GZIPInputStream;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.store.StorePath;

/** Opening files, and saying in one line what went wrong with one. */
public final class Io {

    private static final int GZIP_BUFFER = 1 << 16;

    private Io() {}

    /** What to tell the user of a failed operation on a file. */
    public static ResourceFailure failure(String operation, StorePath path, IOException e) {
        return failure(operation, path.toString(), e);
    }

    /** The same, of a file that is no file of a dataset. */
    public static ResourceFailure failure(String operation, String path, IOException e) {
        String why = switch (e) {
            case NoSuchFileException n -> "it does not exist";
            case FileNotFoundException n -> "it does not exist or may not be read";
            case AccessDeniedException n -> "permission denied; grant it, or choose another place";
            case FileSystemException f -> reason(f);
            default -> e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
        };
        return new ResourceFailure("cannot " + operation + " " + path + ": " + why, e);
    }

    private static String reason(FileSystemException e) {
        return e.getReason() == null ? "the file system refused it" : e.getReason();
    }

    /** The bytes of a file from a place on, uncompressed, texts as UTF-8. */
    public static InputStream open(DataFile file, long start) {
        InputStream bytes = uncompressed(file, start);
        return file.encoding()
                .map(encoding -> (InputStream) new Utf8Input(bytes, encoding, file.path()))
                .orElse(bytes);
    }

    private static InputStream uncompressed(DataFile file, long start) {
        try {
            return file.isGzip()
                    ? unpacked(file.path().stream())
                    : file.path().open().from(start);
        } catch (IOException e) {
            throw failure("read", file.path(), e);
        }
    }

    private static InputStream unpacked(InputStream packed) throws IOException {
        try {
            return new GZIPInputStream(packed, GZIP_BUFFER);
        } catch (IOException e) {
            packed.close();
            throw e;
        }
    }

    /** A new file, whose bytes are counted. */
    public static CountingOutput create(StorePath path) throws IOException {
        return new CountingOutput(path.create());
    }
}
