package org.unimeros.sql;

import java.util.List;
import java.util.Map;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;

/** The datasets that queries read. */
@FunctionalInterface
public interface Tables {

    /**
     * The rows of a named dataset or a path.
     *
     * @throws UserMistake when there is none
     */
    Plan named(String nameOrPath);

    /**
     * The rows of some datasets or paths as one, as {@code dataset('scans/*.csv', delimiter => ';')} in a query says.
     *
     * @param said the named arguments, with one value or several
     * @throws UserMistake when there is none, or something said means nothing
     */
    default Plan dataset(List<String> namesOrPaths, Map<String, List<String>> said) {
        throw new UserMistake("dataset(…) is not known here");
    }
}
