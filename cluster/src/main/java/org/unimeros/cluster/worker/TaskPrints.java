package org.unimeros.cluster.worker;

import java.io.ByteArrayOutputStream;
import java.io.OutputStream;
import java.io.PrintStream;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.function.Consumer;

/**
 * Takes what tasks print out of the standard output and error output of their process: the lines of a thread that runs an attempt go to whoever runs it;
 * those of other threads go where they always went.
 */
public final class TaskPrints {

    /** Bytes of a line that are kept. */
    private static final int MOST_BYTES = 10_000;

    private static final ThreadLocal<Lines> LINES = new ThreadLocal<>();

    private TaskPrints() {}

    /** Begins to look at what this process prints, unless it does already; what threads print that run no attempt goes where it went. */
    public static synchronized void install() {
        if (!(System.out instanceof Routed)) {
            System.setOut(new Routed(System.out));
        }
        if (!(System.err instanceof Routed)) {
            System.setErr(new Routed(System.err));
        }
    }

    /** Does something whose printed lines are taken. */
    public static void taking(Consumer<String> taker, Runnable work) {
        Lines lines = new Lines(taker);
        LINES.set(lines);
        try {
            work.run();
        } finally {
            LINES.remove();
            lines.end();
        }
    }

    /** Bytes of one thread, put together to lines. */
    private static final class Lines {
        private final Consumer<String> taker;
        private final ByteArrayOutputStream line = new ByteArrayOutputStream();
        private Charset charset = StandardCharsets.UTF_8;

        Lines(Consumer<String> taker) {
            this.taker = taker;
        }

        void add(byte b) {
            if (b == '\n') {
                give();
            } else if (line.size() < MOST_BYTES) {
                line.write(b);
            }
        }

        private void give() {
            taker.accept(line.toString(charset).stripTrailing());
            line.reset();
        }

        void end() {
            if (line.size() > 0) {
                give();
            }
        }
    }

    private static final class Routed extends PrintStream {
        Routed(PrintStream usual) {
            super(new Router(usual), true, usual.charset());
        }
    }

    private static final class Router extends OutputStream {
        private final PrintStream usual;

        Router(PrintStream usual) {
            this.usual = usual;
        }

        @Override
        public void write(int b) {
            write(new byte[] {(byte) b}, 0, 1);
        }

        @Override
        public void write(byte[] bytes, int offset, int length) {
            Lines lines = LINES.get();
            if (lines == null) {
                usual.write(bytes, offset, length);
                return;
            }
            lines.charset = usual.charset();
            for (int i = offset; i < offset + length; i++) {
                lines.add(bytes[i]);
            }
        }

        @Override
        public void flush() {
            usual.flush();
        }
    }
}
