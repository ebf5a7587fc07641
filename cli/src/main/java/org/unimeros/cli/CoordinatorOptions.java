package org.unimeros.cli;

import org.unimeros.Jobs;
import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Option;

/** Which coordinator a command asks. */
final class CoordinatorOptions {

    private static final String VARIABLE = "UNIMEROS_COORDINATOR";

    @Option(
            names = "--coordinator",
            paramLabel = "URL",
            description = "The address of the coordinator; else that in " + VARIABLE + ".")
    String coordinator;

    /** Whether a coordinator is named. */
    boolean isGiven(Console console) {
        String url = named(console);
        return url != null && !url.isBlank();
    }

    private String named(Console console) {
        return coordinator == null ? console.environment().get(VARIABLE) : coordinator;
    }

    private String url(Console console) {
        String url = named(console);
        if (!isGiven(console)) {
            throw new UserMistake("which coordinator? Name it with --coordinator http://host:port, or in " + VARIABLE);
        }
        return url;
    }

    Jobs jobs(Console console) {
        return Jobs.from(url(console), console.environment()).tellingOfWaits(console::warning);
    }

    CoordinatorClient client(Console console) {
        return new CoordinatorClient(url(console), ClusterAccess.to(url(console), console.environment()));
    }
}
