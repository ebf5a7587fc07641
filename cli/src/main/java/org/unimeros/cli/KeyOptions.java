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
        boolean isMade = !withoutKey
                && ClusterAccess.listensHere(host)
                && !ClusterAccess.from(console.environment()).hasKey();
        if (isMade) {
            console.note("its key is in " + ClusterAccess.keyFile(console.environment())
                    + ", where your other commands find it");
        }
    }

    /** @param host the address to listen on; null for this machine only */
    ClusterAccess of(Console console, String host) {
        return withoutKey
                ? ClusterAccess.from(console.environment())
                : ClusterAccess.forCluster(host, console.environment());
    }
}
