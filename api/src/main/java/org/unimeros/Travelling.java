package org.unimeros;

import java.io.Serializable;
import org.unimeros.cluster.worker.TaskPrints;
import org.unimeros.engine.own.OwnCode;

/** Code of a job on its way into a plan. */
final class Travelling {

    private Travelling() {}

    /**
     * The code as bytes. From now on, what it prints in a task of this process is taken, as it is on workers.
     *
     * @param what names it to the user
     */
    static <T extends Serializable> OwnCode<T> of(T code, String what) {
        TaskPrints.install();
        return OwnCode.of(code, what);
    }
}
