/**
 * Speed, measured against hand-written programs that do one thing only. Each entry makes its input from a seed, runs ours
 * and theirs in turn, checks that both give the same answer, and prints both and their ratio.
 */
package org.unimeros.benchmarks;
