package org.unimeros.engine.spill;

/**
 * Chooses how hard the blocks of a file are packed: quickly, where that makes them hardly larger. One block in many is packed both ways
 * to see it, the first time when there is a second block. Not thread-safe.
 */
final class PackLevel {

    private static final int BLOCKS_BETWEEN = 64;

    private int level = Packer.THOROUGH;
    private int blocks;

    /** Packs the first bytes of the plain ones of a packer, as {@link Packer#pack} does. */
    int pack(Packer packer, int bytes, int from) {
        if (blocks++ % BLOCKS_BETWEEN == 1) {
            int thorough = packer.pack(bytes, from, Packer.THOROUGH);
            int quick = packer.pack(bytes, from, Packer.QUICK);
            level = quick <= thorough + thorough / 4 ? Packer.QUICK : Packer.THOROUGH;
            return quick;
        }
        return packer.pack(bytes, from, level);
    }
}
