package org.unimeros.cli;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.logging.FileHandler;
import java.util.logging.Handler;
import java.util.logging.Level;
import java.util.logging.LogManager;
import java.util.logging.LogRecord;
import java.util.logging.Logger;
import java.util.logging.SimpleFormatter;

/** Sends warnings and worse to a file, which is made with the first of them. */
final class LogFile extends Handler {

    static final Path PATH = Path.of(".unimeros", "unimeros.log");

    private FileHandler file;
    private boolean broken;

    static void install() {
        LogManager.getLogManager().reset();
        Logger root = Logger.getLogger("");
        root.setLevel(Level.WARNING);
        root.addHandler(new LogFile());
    }

    @Override
    public synchronized void publish(LogRecord event) {
        if (broken || event.getLevel().intValue() < Level.WARNING.intValue()) {
            return;
        }
        try {
            if (file == null) {
                Files.createDirectories(PATH.getParent());
                file = new FileHandler(PATH.toString(), true);
                file.setFormatter(new SimpleFormatter());
            }
            file.publish(event);
        } catch (IOException e) {
            // a log that cannot be written must not end a job
            broken = true;
        }
    }

    @Override
    public synchronized void flush() {
        if (file != null) {
            file.flush();
        }
    }

    @Override
    public synchronized void close() {
        if (file != null) {
            file.close();
        }
    }
}
