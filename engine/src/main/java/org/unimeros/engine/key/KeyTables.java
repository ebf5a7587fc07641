package org.unimeros.engine.key;

import java.util.List;
import org.unimeros.engine.data.DataType;

/** Chooses the way in which keys are numbered; the documentation of the package tells them apart. */
public final class KeyTables {

    private KeyTables() {}

    /** A table that gives its keys by number in the end. */
    public static KeyTable of(List<DataType> types) {
        return new RememberingTable(
                isWhole(types)
                        ? new WholeNumberTable(new WholeKeys(), types.get(0), true)
                        : isText(types) ? new TextTable(types.get(0)) : new RowTable(types));
    }

    /**
     * A table whose keys are looked up and never taken.
     *
     * @param near a place for each key that will come, where they are near to one another; else null
     */
    public static KeyTable forLookUp(List<DataType> types, NearKeys near) {
        return isWhole(types)
                ? new RememberingTable(new WholeNumberTable(near == null ? new WholeKeys() : near, types.get(0), false))
                : of(types);
    }

    /** Whole-number keys that are all there already. */
    public static KeyLookUp of(SettledKeys keys) {
        return new RememberingLookUp(new WholeNumberLookUp(keys, WholeNumberLookUp.NONE));
    }

    private static boolean isWhole(List<DataType> types) {
        DataType.Physical form = types.size() == 1 ? types.get(0).physical() : null;
        return form == DataType.Physical.INTS || form == DataType.Physical.LONGS;
    }

    private static boolean isText(List<DataType> types) {
        return types.size() == 1 && types.get(0).physical() == DataType.Physical.BYTES;
    }
}
