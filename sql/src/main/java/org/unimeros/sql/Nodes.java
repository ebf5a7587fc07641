package org.unimeros.sql;

import java.lang.reflect.Field;
import java.lang.reflect.Modifier;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Predicate;
import org.unimeros.engine.error.InternalFault;

/**
 * The fields of the parser's nodes. Its own visitors leave some out, fail for others that are empty, and wait in a call for each node below,
 * which deep statements do not allow.
 */
final class Nodes {

    static final String PACKAGE = "net.sf.jsqlparser.";

    private static final Map<Class<?>, List<Field>> FIELDS = new ConcurrentHashMap<>();

    private Nodes() {}

    /** Looks at a node and all below it, as long as what is asked of a node says that what is below it matters, too. */
    static void walk(Object root, Predicate<Object> goesBelow) {
        List<Object> open = new ArrayList<>();
        add(root, open);
        while (!open.isEmpty()) {
            Object node = open.remove(open.size() - 1);
            if (!isNode(node) || goesBelow.test(node)) {
                if (node instanceof Collection<?> many) {
                    many.forEach(item -> add(item, open));
                }
                for (Field field : isNode(node) ? fields(node.getClass()) : List.<Field>of()) {
                    add(value(field, node), open);
                }
            }
        }
    }

    private static void add(Object value, List<Object> open) {
        boolean matters = value instanceof Collection || value != null && isNode(value) && !(value instanceof Enum);
        if (matters) {
            open.add(value);
        }
    }

    private static boolean isNode(Object value) {
        return value.getClass().getName().startsWith(PACKAGE);
    }

    /** The fields of a class and those above it, but for those of the parser's own bookkeeping. */
    static List<Field> fields(Class<?> type) {
        return FIELDS.computeIfAbsent(type, Nodes::find);
    }

    private static List<Field> find(Class<?> type) {
        List<Field> all = new ArrayList<>();
        for (Class<?> c = type; c != null && c.getName().startsWith(PACKAGE); c = c.getSuperclass()) {
            for (Field field : c.getDeclaredFields()) {
                boolean isOurs = !Modifier.isStatic(field.getModifiers())
                        && !field.isSynthetic()
                        && !field.getType().getName().startsWith(PACKAGE + "parser.");
                if (isOurs) {
                    field.setAccessible(true);
                    all.add(field);
                }
            }
        }
        return all;
    }

    static Object value(Field field, Object node) {
        try {
            return field.get(node);
        } catch (IllegalAccessException e) {
            throw new InternalFault("cannot look at " + field, e);
        }
    }
}
