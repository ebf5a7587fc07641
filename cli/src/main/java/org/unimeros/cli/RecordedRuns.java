package org.unimeros.cli;

import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.util.function.Consumer;
import org.unimeros.Settings;
import org.unimeros.cluster.coordinator.RunPages;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.insight.RecordLimits;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecordWriter;
import org.unimeros.insight.page.PageSite;

/** The records of the runs of a coordinator, the newest of which it keeps, and their pages. Thread-safe. */
final class RecordedRuns implements RunPages {

    private final RunFolder folder;
    private final PageSite site;
    private final Consumer<String> complain;

    /** @param complain is told in a line what cannot be recorded */
    RecordedRuns(Path folder, Consumer<String> complain) {
        this.folder = new RunFolder(folder);
        this.site = new PageSite(this.folder, Settings.defaults().asMap(), true);
        this.complain = complain;
    }

    @Override
    public RunListener recorder(String run, boolean goesOn) {
        RunRecordWriter writer = new RunRecordWriter(RunFolder.place(folder.folder(), run), complain, goesOn);
        return event -> {
            if (event instanceof RunEvent.RunStarted) {
                removeOld();
            }
            writer.happened(event);
            if (event instanceof RunEvent.RunEnded) {
                writer.close();
            }
        };
    }

    private void removeOld() {
        try {
            RecordLimits.USUAL.apply(folder);
        } catch (UncheckedIOException | ResourceFailure e) {
            complain.accept("records of runs are not removed: " + e.getMessage());
        }
    }

    @Override
    public Shown show(String path, String query) {
        PageSite.Answer answer = site.get(path, query);
        return new Shown(answer.status(), answer.type(), answer.text());
    }
}
