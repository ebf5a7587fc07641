package org.unimeros.cluster.wire;

import java.util.Optional;

/** The version of this program, which all processes of a cluster must share. */
public final class Version {

    private Version() {}

    public static String current() {
        return Optional.ofNullable(Version.class.getPackage().getImplementationVersion())
                .orElse("development");
    }
}
