package org.unimeros.cluster.transfer;

import java.util.List;
import java.util.function.Supplier;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.LostInputException;
import org.unimeros.engine.spill.Blocks;

/**
 * A chunk at a worker. Fetched anew each time it is asked for.
 *
 * @param urls of workers that have it, in the order in which they are asked
 */
public record RemoteBlock(BlockFetcher fetcher, List<String> urls, String run, BlockRef ref)
        implements Supplier<Batch> {

    @Override
    public Batch get() {
        Batch[] rows = new Batch[1];
        fetcher.fetch(urls, run, List.of(ref), (index, block, length) -> rows[0] = decode(block, length));
        return rows[0];
    }

    /** The rows of the fetched block, whose checksum is compared; a damaged one counts as lost, so that it is made again. */
    public Batch decode(byte[] block, int length) {
        try {
            return Blocks.decode(block, length);
        } catch (ResourceFailure e) {
            throw new LostInputException(
                    ref.attempt(),
                    "what " + ref.attempt() + " had made came damaged from " + String.join(" or ", urls),
                    e);
        }
    }
}
