package org.unimeros.benchmarks;

/** A piece of work that the engine and a program written for it alone do in turn. */
interface Entry {

    String name();

    /** What is done, in a few words. */
    String work();

    long rows();

    /** Bytes that are read; 0 when everything is in memory. */
    long bytes() throws Exception;

    /** Makes the input, from a seed, unless it is there. */
    void prepare() throws Exception;

    /** The answer of the engine, to be compared by {@code equals}. */
    Object ours(int slots) throws Exception;

    /** The same answer, by primitive arrays and nothing else. */
    Object handWritten(int threads) throws Exception;
}
