package org.unimeros.storage.commit;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.Optional;
import org.unimeros.engine.error.UserMistake;

/** Folder names of partitions, {@code key=value}. Characters that a folder name cannot have are written as %XX. */
public final class PartitionPath {

    /** Stands for null. */
    private static final String NULL = "__null__";

    /** What file systems allow, in bytes. */
    private static final int LONGEST_NAME = 255;

    private PartitionPath() {}

    /** The folder of a value as text; null is a value too. */
    public static String folder(String key, String value) {
        String written =
                value == null ? NULL : value.isEmpty() ? "%" : value.equals(NULL) ? "%5F_null__" : escape(value);
        String folder = visible(escape(key)) + "=" + written;
        if (folder.getBytes(UTF_8).length > LONGEST_NAME) {
            throw new UserMistake("the value of partition column " + key + " is too long for the name of a folder: "
                    + value.substring(0, Math.min(40, value.length())) + "… has " + value.getBytes(UTF_8).length
                    + " bytes, and names have at most " + LONGEST_NAME
                    + "; partition by something shorter, such as left(" + key + ", 20)");
        }
        return folder;
    }

    /** The key of a folder name, if it is one of a partition. */
    public static Optional<String> key(String folder) {
        int equals = folder.indexOf('=');
        return equals > 0 ? Optional.of(unescape(folder.substring(0, equals))) : Optional.empty();
    }

    /** The value of a partition's folder name, or null. */
    public static String value(String folder) {
        String value = folder.substring(folder.indexOf('=') + 1);
        return value.equals(NULL) ? null : value.equals("%") ? "" : unescape(value);
    }

    /** A name that begins with a dot or an underscore would not be seen as data. */
    private static String visible(String name) {
        boolean hidden = name.startsWith(".") || name.startsWith("_");
        return hidden ? String.format("%%%02X", (int) name.charAt(0)) + name.substring(1) : name;
    }

    private static String escape(String text) {
        StringBuilder out = new StringBuilder();
        for (char c : text.toCharArray()) {
            boolean plain = c >= ' ' && c != 0x7F && "%=/\\:*?\"<>|".indexOf(c) < 0;
            out.append(plain ? String.valueOf(c) : String.format("%%%02X", (int) c));
        }
        return out.toString();
    }

    private static String unescape(String text) {
        if (text.indexOf('%') < 0) {
            return text;
        }
        byte[] in = text.getBytes(UTF_8);
        byte[] out = new byte[in.length];
        int n = 0;
        for (int i = 0; i < in.length; i++) {
            boolean room = i + 2 < in.length;
            int high = room ? Character.digit(in[i + 1], 16) : -1;
            int low = room ? Character.digit(in[i + 2], 16) : -1;
            if (in[i] == '%' && high >= 0 && low >= 0) {
                out[n++] = (byte) (high << 4 | low);
                i += 2;
            } else {
                out[n++] = in[i];
            }
        }
        return new String(out, 0, n, UTF_8);
    }
}
