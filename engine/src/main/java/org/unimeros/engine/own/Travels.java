package org.unimeros.engine.own;

import java.io.IOException;
import java.io.Serializable;
import java.lang.invoke.SerializedLambda;
import java.lang.reflect.Field;
import java.lang.reflect.InaccessibleObjectException;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.util.Collections;
import java.util.IdentityHashMap;
import java.util.Map;
import java.util.Set;
import java.util.regex.Pattern;

/** Which classes may travel within the functions of a job, and why one of them does not. */
final class Travels {

    static final String ADVICE =
            "; make it of the values it needs, open it where the task is set up, or mark the field transient";

    /** Classes of the platform that carry values and do nothing else. */
    private static final Pattern VALUES = Pattern.compile(
            "java\\.lang\\.(Boolean|Byte|Character|Short|Integer|Long|Float"
                    + "|Double|Number|String|Enum|Record|Object|invoke\\.SerializedLambda)"
                    + "|java\\.math\\.\\w+|java\\.time\\.[\\w.]+|java\\.net\\.URI"
                    + "|java\\.util\\.(regex\\.Pattern|concurrent\\.atomic\\.Atomic(Boolean|Integer|Long)|[\\w$]*(List|Set|Map|Deque|Queue)"
                    + "|(HashMap|TreeMap|Map|AbstractMap|Collections|Comparators|Arrays|EnumSet|ImmutableCollections)(\\$\\w+)*"
                    + "|(Abstract)?Collection|CollSer|BitSet|UUID|Locale|Random|Date|Optional(Int|Long|Double)?|Currency|Comparator|Map\\$Entry)");

    /** Parts of this product, and libraries that it brings, that a function of a job has no business with. */
    private static final Set<String> CLOSED = Set.of(
            "org.unimeros.cluster.",
            "org.unimeros.storage.",
            "org.unimeros.cli.",
            "com.fasterxml.",
            "com.github.luben.",
            "de.siegmar.",
            "dev.hardwood.",
            "net.sf.jsqlparser.",
            "org.apache.parquet.",
            "org.eclipse.jetty.",
            "org.slf4j.",
            "org.snakeyaml.",
            "org.xerial.",
            "picocli.");

    private Travels() {}

    /** Whether objects of a class may be read from what travelled: classes of the job, and value types. */
    static boolean mayTravel(Class<?> type) {
        String name = type.getName();
        if (type.getClassLoader() == null || type.getClassLoader() == ClassLoader.getPlatformClassLoader()) {
            return VALUES.matcher(name).matches();
        }
        return CLOSED.stream().noneMatch(name::startsWith);
    }

    /** Where in a function something is that cannot travel. */
    static String why(Object function, IOException failure) {
        String path = path(function, "", Collections.newSetFromMap(new IdentityHashMap<>()));
        return path == null ? "it holds a " + failure.getMessage() + ADVICE : path + ADVICE;
    }

    private static String path(Object object, String from, Set<Object> seen) {
        if (object == null || object instanceof Class<?> || !seen.add(object)) {
            return null;
        }
        SerializedLambda lambda = lambda(object);
        if (lambda != null) {
            return ofLambda(lambda, from, seen);
        }
        if (!(object instanceof Serializable)) {
            return (from.isEmpty() ? "it is" : from + " is") + " a "
                    + object.getClass().getName();
        }
        if (object instanceof Object[] array) {
            return ofAll(java.util.Arrays.asList(array), from, seen);
        }
        if (object instanceof Map<?, ?> map) {
            String inKeys = ofAll(map.keySet(), from, seen);
            return inKeys == null ? ofAll(map.values(), from, seen) : inKeys;
        }
        if (object instanceof Iterable<?> elements
                && object.getClass().getName().startsWith("java.")) {
            return ofAll(elements, from, seen);
        }
        return ofFields(object, seen);
    }

    private static String ofLambda(SerializedLambda lambda, String from, Set<Object> seen) {
        String where = "captured by the function in "
                + lambda.getCapturingClass().replace('/', '.') + (from.isEmpty() ? "" : ", " + from + ",");
        for (int i = 0; i < lambda.getCapturedArgCount(); i++) {
            Object captured = lambda.getCapturedArg(i);
            if (captured != null && !(captured instanceof Serializable)) {
                boolean self = captured.getClass().getName().replace('.', '/').equals(lambda.getCapturingClass());
                return (self ? "\"this\", " : "a value ") + where + " is a "
                        + captured.getClass().getName();
            }
            String inside = path(captured, "a value " + where, seen);
            if (inside != null) {
                return inside;
            }
        }
        return null;
    }

    private static String ofAll(Iterable<?> elements, String from, Set<Object> seen) {
        for (Object element : elements) {
            String inside = path(element, from.isEmpty() ? "an element" : "an element of " + from, seen);
            if (inside != null) {
                return inside;
            }
        }
        return null;
    }

    private static String ofFields(Object object, Set<Object> seen) {
        for (Class<?> type = object.getClass(); type != null && type != Object.class; type = type.getSuperclass()) {
            if (type.getName().startsWith("java.")) {
                return null;
            }
            for (Field field : type.getDeclaredFields()) {
                int flags = field.getModifiers();
                if (Modifier.isStatic(flags)
                        || Modifier.isTransient(flags)
                        || field.getType().isPrimitive()) {
                    continue;
                }
                try {
                    field.setAccessible(true);
                    String here = "the field " + type.getName() + "." + field.getName();
                    String inside = path(field.get(object), here, seen);
                    if (inside != null) {
                        return inside;
                    }
                } catch (IllegalAccessException | InaccessibleObjectException e) {
                    return null;
                }
            }
        }
        return null;
    }

    /** What a lambda captures; null for other objects. */
    private static SerializedLambda lambda(Object object) {
        if (!object.getClass().isSynthetic() && !object.getClass().isHidden()) {
            return null;
        }
        try {
            Method replace = object.getClass().getDeclaredMethod("writeReplace");
            replace.setAccessible(true);
            return replace.invoke(object) instanceof SerializedLambda lambda ? lambda : null;
        } catch (ReflectiveOperationException | InaccessibleObjectException e) {
            return null;
        }
    }
}
