package org.unimeros.insight.page;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.RecordTail;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.diagnosis.RunHistory;
import org.unimeros.insight.diagnosis.RunSummary;

/**
 * What a browser gets to see of the runs of a folder of records, whoever serves it: the list of runs, the page of each, and what these ask for while
 * a run goes on. Thread-safe.
 */
public final class PageSite {

    private static final int NEWEST = 100;

    /** Runs that are kept read; of others the record is read again. */
    private static final int KEPT = 4;

    /** Records that are kept read have together at most one part in so many of the memory; a run takes two to three times what its record takes. */
    private static final int RECORD_SHARE = 8;

    private static final Pattern RUN = Pattern.compile("run/([\\w.-]+?)(/data)?");
    private static final JsonFactory JSON = new JsonFactory();

    private final RunFolder folder;
    private final Map<String, String> defaults;
    private final boolean hasCluster;
    private final long mostBytes;
    private final Map<String, Followed> followed = new LinkedHashMap<>(16, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Followed> eldest) {
            return size() > KEPT;
        }
    };
    private final Map<Path, Listed> listed = new ConcurrentHashMap<>();

    /** A record in the list, as it was when it was written last. */
    private record Listed(long modified, RunSummary run) {}

    /** A run that somebody looks at. */
    private final class Followed {
        private final Path record;
        private final RecordTail tail;
        private final RunHistory history = new RunHistory();
        private final PageLog log = new PageLog();
        private boolean wasWritten;

        Followed(Path record) {
            this.record = record;
            tail = new RecordTail(record);
        }

        /** The run as it is known now; null when that is what was seen already. */
        synchronized String data(long seen) {
            tail.more(event -> {
                history.happened(event);
                log.happened(event);
            });
            if (tail.lines() == 0) {
                throw new BadData("nothing is recorded of this run yet");
            }
            boolean isWritten =
                    RunFolder.isWritten(record) && !history.progress().isEnded();
            if (isWritten) {
                history.goesOnUntil(System.currentTimeMillis());
            }
            boolean isNew = tail.lines() != seen || isWritten || wasWritten;
            wasWritten = isWritten;
            return isNew ? new PageData(history, log, defaults, !isWritten).json(tail.lines()) : null;
        }
    }

    /**
     * An answer to a browser.
     *
     * @param status of HTTP; 204 where there is nothing new
     */
    public record Answer(int status, String type, String text) {}

    /**
     * The runs of a folder, which need not be there yet.
     *
     * @param defaults of settings; pages show those that differ
     * @param hasCluster whether whoever serves the pages answers to {@code cluster} with its workers and jobs, which the list shows then
     */
    public PageSite(RunFolder folder, Map<String, String> defaults, boolean hasCluster) {
        this(folder, defaults, hasCluster, Runtime.getRuntime().maxMemory() / RECORD_SHARE);
    }

    /** @param mostBytes of the records that are kept read, together */
    PageSite(RunFolder folder, Map<String, String> defaults, boolean hasCluster, long mostBytes) {
        this.mostBytes = mostBytes;
        this.folder = folder;
        this.defaults = Map.copyOf(defaults);
        this.hasCluster = hasCluster;
    }

    /**
     * Answers to a request.
     *
     * @param what the path below the address of the list, which is itself empty
     * @param query what stands behind the question mark, or null
     */
    public Answer get(String what, String query) {
        try {
            return answer(what, query);
        } catch (UnimerosException e) {
            return new Answer(500, "text/plain", e.getMessage() + "\n");
        }
    }

    private Answer answer(String what, String query) {
        Matcher run = RUN.matcher(what);
        if (what.isEmpty()) {
            return new Answer(200, "text/html", RunPage.list(hasCluster));
        } else if (what.equals("runs")) {
            return new Answer(200, "application/json", runs());
        } else if (!run.matches() || !Files.isRegularFile(RunFolder.place(folder.folder(), run.group(1)))) {
            return new Answer(404, "text/plain", "there is no record of such a run\n");
        } else if (run.group(2) == null) {
            return new Answer(
                    200, "text/html", RunPage.live(follow(run.group(1)).data(-1), run.group(1)));
        }
        String seen = String.valueOf(query).replaceFirst("^seen=", "");
        String data = follow(run.group(1)).data(seen.matches("\\d{1,15}") ? Long.parseLong(seen) : -1);
        return new Answer(data == null ? 204 : 200, "application/json", data == null ? "" : data);
    }

    private Followed follow(String run) {
        Path record = RunFolder.place(folder.folder(), run);
        refuseTooLarge(record);
        synchronized (followed) {
            Followed known = followed.get(run);
            if (known == null) {
                makeRoom(record);
                known = new Followed(record);
                followed.put(run, known);
            }
            return known;
        }
    }

    /** Forgets the runs that were looked at longest ago. */
    private void makeRoom(Path record) {
        long bytes = size(record)
                + followed.values().stream().mapToLong(f -> size(f.record)).sum();
        Iterator<Followed> eldest = followed.values().iterator();
        while (bytes > mostBytes && eldest.hasNext()) {
            bytes -= size(eldest.next().record);
            eldest.remove();
        }
    }

    private static long size(Path record) {
        return record.toFile().length();
    }

    /** The newest runs; one whose record cannot be read does not hide the others. */
    private String runs() {
        StringWriter text = new StringWriter();
        try (JsonGenerator out = JSON.createGenerator(text)) {
            out.writeStartArray();
            for (Path record : folder.newest(NEWEST)) {
                try {
                    write(out, RunFolder.nameOf(record), summary(record));
                } catch (UnimerosException e) {
                    out.writeStartObject();
                    out.writeStringField("run", RunFolder.nameOf(record));
                    out.writeStringField("wrong", e.getMessage());
                    out.writeEndObject();
                }
            }
            out.writeEndArray();
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
        return text.toString();
    }

    /** Whoever serves pages may do other things with its memory, such as to coordinate. */
    private void refuseTooLarge(Path record) {
        long size = size(record);
        if (size > mostBytes) {
            throw new ResourceFailure("the record of this run, " + record + ", has " + Sizes.bytes(size)
                    + ", too many for this process to show it; unimeros report makes a page of it");
        }
    }

    private RunSummary summary(Path record) {
        refuseTooLarge(record);
        long modified = record.toFile().lastModified();
        Listed known = listed.get(record);
        if (known == null || known.modified != modified || !known.run.run().isEnded()) {
            known = new Listed(modified, RunSummary.of(record));
            listed.put(record, known);
        }
        return known.run;
    }

    private static void write(JsonGenerator out, String name, RunSummary run) throws IOException {
        out.writeStartObject();
        out.writeStringField("run", name);
        out.writeStringField("title", run.run().title());
        out.writeStringField("state", run.state());
        out.writeNumberField("start", run.started());
        out.writeNumberField("millis", run.millis());
        out.writeNumberField("rows", run.run().rows());
        out.writeNumberField("tasks", run.tasks());
        if (run.worst().isPresent()) {
            out.writeStringField("finding", run.worst().get().what());
        }
        out.writeEndObject();
    }
}
