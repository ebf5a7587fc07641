package org.unimeros.storage.format;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.ReadContext;

/** Goes on whatever is told, and keeps it. */
public final class Lenient implements ReadContext {

    public final List<String> problems = new ArrayList<>();
    public final List<String> raw = new ArrayList<>();
    public final List<String> warnings = new ArrayList<>();
    private final boolean keepsRaw;

    public Lenient() {
        this(true);
    }

    /** @param keepsRaw whether records that do not fit are wanted as they stand */
    public Lenient(boolean keepsRaw) {
        this.keepsRaw = keepsRaw;
    }

    @Override
    public void badRecord(BadRecord record, String advice) {
        problems.add(record.told(advice));
        raw.add(new String(record.raw(), UTF_8));
    }

    /** What is wrong with lines of a file, without its name and the advice: {@code 2: column …}. */
    public List<String> told(DataFile file) {
        return problems.stream()
                .map(p -> p.substring(file.toString().length() + 1, p.lastIndexOf("; mend the line")))
                .toList();
    }

    @Override
    public boolean keepsBadRecords() {
        return keepsRaw;
    }

    @Override
    public void warn(String message) {
        warnings.add(message);
    }
}
