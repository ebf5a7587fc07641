package org.unimeros.code;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.io.Serializable;
import org.unimeros.engine.record.TextSlice;

/** The form in which a job handles the text that goes to a program and comes from it. */
interface ProgramText<T> extends Serializable {

    void write(T text, ProgramRun to);

    /** A piece of an array that is not changed any more. */
    T of(byte[] bytes, int start, int end);

    ProgramText<String> STRINGS = new ProgramText<>() {
        private static final long serialVersionUID = 1;

        @Override
        public void write(String text, ProgramRun to) {
            byte[] bytes = text.getBytes(UTF_8);
            to.put(bytes, 0, bytes.length);
        }

        @Override
        public String of(byte[] bytes, int start, int end) {
            return new String(bytes, start, end - start, UTF_8);
        }
    };

    ProgramText<TextSlice> SLICES = new ProgramText<>() {
        private static final long serialVersionUID = 1;

        @Override
        public void write(TextSlice text, ProgramRun to) {
            to.put(text);
        }

        @Override
        public TextSlice of(byte[] bytes, int start, int end) {
            return TextSlice.of(bytes, start, end - start);
        }
    };
}
