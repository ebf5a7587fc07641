package org.unimeros.cli;

import org.unimeros.cluster.http.ClusterAccess;
import picocli.CommandLine.Option;

/** Who may connect to a cluster that a command starts. */
final class KeyOptions {

    @Option(
            names = "--no-key",
            description = "Takes requests without a key, so that everybody on this machine can run programs as you.")
    boolean withoutKey;

    /** Says where the key is that was made, if one was. */
    void tell(Console console, String host) {
        if (!withoutKey
                && host == null
                && !ClusterAccess.from(console.environment()).hasKey()) {
            console.note("its key is in " + ClusterAccess.keyFile(console.environment())
                    + ", where your other commands find it");
        }
    }

    ClusterAccess of(Console console) {
        return of(console, null);
    }

    /** @param host the address to listen on; null for this machine only */
    ClusterAccess of(Console console, String host) {
        ClusterAccess given = ClusterAccess.from(console.environment());
        if (withoutKey || given.hasKey() || host != null) {
            return given;
        }
        return ClusterAccess.forCluster(console.environment());
    }
}
