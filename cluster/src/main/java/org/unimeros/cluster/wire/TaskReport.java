package org.unimeros.cluster.wire;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.run.AttemptNotes;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.run.TaskRunner;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.spill.Chunk;

/** What an attempt made, without its rows: how many and how large they are, chunk by chunk. */
public record TaskReport(
        long rows,
        List<PartSizes> parts,
        KeySketch sketch,
        Batch runStarts,
        TaskOutput written,
        Map<Integer, StepMetrics> steps,
        AttemptUse use,
        AttemptNotes noted)
        implements Serializable {

    /** The rows and bytes of the chunks of a part. */
    public record PartSizes(int[] rows, long[] bytes) implements Serializable {}

    /** Makes the chunk that stands for one elsewhere. */
    public interface ChunkMaker {
        Chunk make(int part, int chunk, int rows, long bytes);
    }

    public static TaskReport of(TaskRunner.Done done, AttemptNotes noted) {
        TaskResult result = done.result();
        List<PartSizes> sizes = new ArrayList<>();
        for (Part part : result.parts()) {
            sizes.add(new PartSizes(
                    part.chunks().stream().mapToInt(Chunk::rows).toArray(),
                    part.chunks().stream().mapToLong(Chunk::bytes).toArray()));
        }
        return new TaskReport(
                result.rows(),
                sizes,
                result.sketch(),
                result.runStarts(),
                result.written(),
                done.steps(),
                done.use(),
                noted);
    }

    /** The result with chunks that stand for those of the attempt. */
    public TaskResult result(ChunkMaker maker) {
        List<Part> all = new ArrayList<>();
        for (int p = 0; p < parts.size(); p++) {
            PartSizes sizes = parts.get(p);
            List<Chunk> chunks = new ArrayList<>();
            long partRows = 0;
            long partBytes = 0;
            for (int c = 0; c < sizes.rows.length; c++) {
                chunks.add(maker.make(p, c, sizes.rows[c], sizes.bytes[c]));
                partRows += sizes.rows[c];
                partBytes += sizes.bytes[c];
            }
            all.add(new Part(chunks, partRows, partBytes));
        }
        return new TaskResult(rows, all, null, sketch, runStarts, written);
    }

    /** Without what only the coordinator needs. */
    public TaskReport forReaders() {
        return new TaskReport(rows, parts, null, runStarts, null, Map.of(), AttemptUse.NONE, AttemptNotes.NOTHING);
    }
}
