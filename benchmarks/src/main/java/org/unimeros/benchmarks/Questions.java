package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.unimeros.Engine;
import org.unimeros.Settings;
import org.unimeros.Table;
import org.unimeros.examples.data.CountryNetwork;
import org.unimeros.examples.data.CountryNetwork.Question;

/** The questions to the network of eight tables, one after the other; what each takes. */
final class Questions {

    private final Path folder;
    private final int scale;

    /** @param scale 100 makes six million parcels */
    Questions(Path folder, int scale) {
        this.folder = folder.resolve("network-" + scale);
        this.scale = scale;
    }

    void run() throws IOException {
        Files.createDirectories(folder);
        Settings settings = Settings.defaults()
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("scratch").toString());
        try (Engine engine = Engine.local(settings, folder)) {
            if (!Files.exists(folder.resolve("parcels"))) {
                long start = System.nanoTime();
                CountryNetwork.make(engine, scale);
                System.out.printf("tables made in %.1f s%n", (System.nanoTime() - start) / 1e9);
            }
            System.out.printf("%,d parcels%n", engine.read("parcels").count());
            double all = 0;
            for (Question question : CountryNetwork.questions()) {
                long start = System.nanoTime();
                Table answer = engine.sql(question.sql()).fetch();
                double seconds = (System.nanoTime() - start) / 1e9;
                all += seconds;
                System.out.printf("%7.2f s  %7d rows  %s%n", seconds, answer.size(), question.name());
            }
            System.out.printf("%7.2f s  in all%n", all);
        }
    }
}
