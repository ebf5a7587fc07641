package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.examples.data.CountryNetwork;
import org.unimeros.examples.data.CountryNetwork.Question;

/**
 * The questions to the network of eight tables, one after the other: what each takes from the files that this project writes, and from
 * those of another writer, whose answers must be the same.
 */
final class Questions {

    private static final List<String> TABLES =
            List.of("zones", "countries", "carriers", "shippers", "services", "offers", "consignments", "parcels");
    private static final int ROUNDS = 3;

    private final Path folder;
    private final int scale;
    private final Map<String, String> answers = new HashMap<>();

    /** @param scale 100 makes six million parcels */
    Questions(Path folder, int scale) {
        this.folder = folder.resolve("network-" + scale);
        this.scale = scale;
    }

    void run() throws IOException {
        Path own = folder.resolve("own");
        Path other = folder.resolve("other");
        Files.createDirectories(own);
        make(own, other);
        List<Question> questions = CountryNetwork.questions();
        double[] ownSeconds = new double[questions.size()];
        double[] otherSeconds = new double[questions.size()];
        Arrays.fill(ownSeconds, Double.MAX_VALUE);
        Arrays.fill(otherSeconds, Double.MAX_VALUE);
        for (int round = 0; round < ROUNDS; round++) {
            try (Engine ownFiles = engine(own);
                    Engine otherFiles = engine(other)) {
                for (int q = 0; q < questions.size(); q++) {
                    ownSeconds[q] = Math.min(ownSeconds[q], ask(ownFiles, questions.get(q)));
                    otherSeconds[q] = Math.min(otherSeconds[q], ask(otherFiles, questions.get(q)));
                }
            }
        }
        System.out.printf("the fastest of %d rounds, from own files and from those of another writer%n", ROUNDS);
        for (int q = 0; q < questions.size(); q++) {
            System.out.printf(
                    "%7.2f s %7.2f s  %s%n",
                    ownSeconds[q], otherSeconds[q], questions.get(q).name());
        }
        System.out.printf(
                "%7.2f s %7.2f s  in all%n",
                Arrays.stream(ownSeconds).sum(), Arrays.stream(otherSeconds).sum());
    }

    private double ask(Engine engine, Question question) {
        long start = System.nanoTime();
        Result answer = engine.sql(question.sql()).fetch();
        double seconds = (System.nanoTime() - start) / 1e9;
        String rows = answer.rows().toString();
        String known = answers.putIfAbsent(question.name(), rows);
        if (known != null && !known.equals(rows)) {
            throw new IllegalStateException(question.name() + " has two answers");
        }
        return seconds;
    }

    private Engine engine(Path data) {
        return Engine.local(
                Settings.defaults()
                        .with("runs.folder", "")
                        .with("memory.scratch", folder.resolve("scratch").toString()),
                data);
    }

    private void make(Path own, Path other) throws IOException {
        try (Engine engine = engine(own)) {
            if (!Files.exists(own.resolve("parcels"))) {
                long start = System.nanoTime();
                CountryNetwork.make(engine, scale);
                System.out.printf("tables made in %.1f s%n", (System.nanoTime() - start) / 1e9);
            }
            for (String table : TABLES) {
                if (!Files.exists(other.resolve(table))) {
                    OtherWriter.write(engine.read(table).fetch(), other.resolve(table));
                }
            }
            System.out.printf("%,d parcels%n", engine.read("parcels").count());
        }
    }
}
