package org.unimeros.storage.format;

import java.io.FileNotFoundException;
import java.io.IOException;
import java.io.InputStream;
import java.nio.channels.Channels;
import java.nio.channels.FileChannel;
import java.nio.file.AccessDeniedException;
import java.nio.file.FileSystemException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.zip.GZIPInputStream;
import org.unimeros.engine.error.ResourceFailure;

/** Opening files, and saying in one line what went wrong with one. */
public final class Io {

    private static final int GZIP_BUFFER = 1 << 16;

    private Io() {}

    /** What to tell the user of a failed operation on a file. */
    public static ResourceFailure failure(String operation, Path path, IOException e) {
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
            if (file.isGzip()) {
                return new GZIPInputStream(Files.newInputStream(file.path()), GZIP_BUFFER);
            }
            FileChannel channel = FileChannel.open(file.path(), StandardOpenOption.READ);
            if (start > 0) {
                channel.position(start);
            }
            return Channels.newInputStream(channel);
        } catch (IOException e) {
            throw failure("read", file.path(), e);
        }
    }
}
