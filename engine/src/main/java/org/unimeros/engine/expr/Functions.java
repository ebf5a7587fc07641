package org.unimeros.engine.expr;

import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.Consumer;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.ScalarFunction.Kernel;

/**
 * The scalar functions that expressions can call by name. They are defined by {@link TextFunctions}, {@link
 * NumberFunctions}, {@link TimeFunctions}, {@link ChoiceFunctions}, {@link ListFunctions} and {@link JsonFunctions}; a
 * result is null where an argument is, unless the description says otherwise.
 */
public final class Functions {

    /** Builds the call of a function for resolved arguments. */
    @FunctionalInterface
    interface Resolver {
        Expression resolve(List<Expression> args);
    }

    private record Entry(FunctionDoc doc, int least, int most, Resolver resolver) {}

    /** Takes definitions of the functions of a family, of which it knows what is said of them. */
    static final class Table {
        private final Map<String, Entry> entries;
        private final Map<String, FunctionTexts.Text> texts;

        private Table(Map<String, Entry> entries, String family) {
            this.entries = entries;
            this.texts = FunctionTexts.of(family);
        }

        /**
         * Defines a function.
         *
         * @param least fewest arguments
         * @param most most arguments
         */
        void define(String name, int least, int most, Resolver resolver) {
            FunctionTexts.Text text = texts.remove(name);
            if (text == null || entries.containsKey(name)) {
                throw new InternalFault((text == null ? "nothing is said of " : "two functions ") + name);
            }
            FunctionDoc doc = new FunctionDoc(
                    name, text.usage(), "value", text.description(), "select " + text.example(), text.result());
            entries.put(name, new Entry(doc, least, most, resolver));
        }
    }

    private static final Map<String, Entry> ALL = all();

    private Functions() {}

    /** What is known of every function, by name. */
    public static Collection<FunctionDoc> entries() {
        return ALL.values().stream().map(Entry::doc).toList();
    }

    private static Map<String, Entry> all() {
        Map<String, Entry> entries = new TreeMap<>();
        define(entries, "texts", TextFunctions::define);
        define(entries, "numbers", NumberFunctions::define);
        define(entries, "times", TimeFunctions::define);
        define(entries, "choices", ChoiceFunctions::define);
        define(entries, "lists", ListFunctions::define);
        define(entries, "json", JsonFunctions::define);
        return Collections.unmodifiableMap(entries);
    }

    private static void define(Map<String, Entry> entries, String family, Consumer<Table> definitions) {
        Table table = new Table(entries, family);
        definitions.accept(table);
        if (!table.texts.isEmpty()) {
            throw new InternalFault("nobody defines " + table.texts.keySet());
        }
    }

    /**
     * The list of times from a first one to a last one.
     *
     * @throws UserMistake where they are no times, or the step is nothing
     */
    public static Expression series(Expression first, Expression last, Interval step) {
        return SeriesFunction.ofTimes(first, last, step);
    }

    /** Whether there is a function of a name, in lower case. */
    static boolean isName(String name) {
        return ALL.containsKey(name);
    }

    /**
     * The call of a function by name, of the job's own or of those that are always there.
     *
     * @throws UserMistake when there is no such function, or the arguments do not fit it
     */
    public static Expression call(String name, List<Expression> args, OwnFunctions own) {
        if (own.names().isEmpty()) {
            return call(name, args);
        }
        return own.call(name, args).orElseGet(() -> {
            if (isName(name.toLowerCase(Locale.ROOT))) {
                return call(name, args);
            }
            List<String> known = new ArrayList<>(own.names());
            known.addAll(ALL.keySet());
            throw unknown(name, known);
        });
    }

    /**
     * The call of a function by name.
     *
     * @throws UserMistake when there is no such function, or the arguments do not fit it
     */
    public static Expression call(String name, List<Expression> args) {
        Entry entry = ALL.get(name.toLowerCase(Locale.ROOT));
        if (entry == null) {
            throw unknown(name, ALL.keySet());
        }
        if (args.size() < entry.least || args.size() > entry.most) {
            throw new UserMistake("function " + entry.doc.name() + " is called as " + entry.doc.usage() + ", but found "
                    + args.size() + (args.size() == 1 ? " argument" : " arguments"));
        }
        return entry.resolver.resolve(args);
    }

    /** Names of before, which are refused with what is there instead. */
    private static final Map<String, String> EARLIER = Map.ofEntries(
            Map.entry("list_contains", "contains(list, value)"),
            Map.entry("list_position", "position(value, list)"),
            Map.entry("list_reverse", "reverse(list)"),
            Map.entry("list_concat", "list || list"),
            Map.entry("list_join", "concat_ws(separator, list)"),
            Map.entry("list_slice", "list[from:to], or slice(list, from, to)"),
            Map.entry("list_sort", "sorted(list)"),
            Map.entry("list_distinct", "without_repeats(list)"),
            Map.entry("list_without_nulls", "without_nulls(list)"),
            Map.entry("list_min", "min_element(list)"),
            Map.entry("list_max", "max_element(list)"));

    private static UserMistake unknown(String name, Collection<String> known) {
        String now = EARLIER.get(name.toLowerCase(Locale.ROOT));
        if (now != null) {
            return new UserMistake("unknown function " + name + "; it is written as " + now);
        }
        String hint = NameSuggestions.names(name, known).isEmpty()
                ? "; the nearest are " + String.join(", ", NameSuggestions.nearest(name, known))
                        + "; `unimeros functions` lists all of them"
                : NameSuggestions.hint(name, known);
        return new UserMistake("unknown function " + name + hint);
    }

    /** The value of a field of a struct; of a list of structs, the list of its values. */
    public static Expression field(Expression struct, String name) {
        return ListFunctions.field(struct, name);
    }

    /** {@code a || b}: of two lists their elements, of anything else the text. */
    public static Expression concat(Expression a, Expression b) {
        boolean lists = a.type() instanceof DataType.ListOf && b.type() instanceof DataType.ListOf;
        return lists ? ListFunctions.concat(List.of(a, b)) : call("concat", List.of(a, b));
    }

    public static Expression extract(String part, Expression time) {
        return TimeKernels.extract(part, time);
    }

    /** {@code text like pattern [escape character]}; without one, no character escapes another. */
    public static Expression like(Expression text, Expression pattern, Optional<String> escape) {
        if (escape.isPresent() && escape.get().codePointCount(0, escape.get().length()) != 1) {
            throw new UserMistake("escape needs a text of one character, but found '" + escape.get() + "'");
        }
        List<Expression> args = List.of(text(text, "like"), text(pattern, "like"));
        int escaping = escape.map(e -> e.codePointAt(0)).orElse(-1);
        String name = escape.map(e -> "like %s escape " + Values.literal(e)).orElse("like");
        Kernel kernel = (columns, rows, nulls) -> TextKernels.like(columns, rows, nulls, escaping);
        // A pattern can end with its escape character, which is a mistake only where there is a text for it.
        Kernel once = escaping >= 0 ? kernel : TextKernels.oncePerEntry(args, kernel);
        return new Call(ScalarFunction.infix(name, escaping >= 0, once), args, DataType.BOOLEAN);
    }

    static Expression asText(Expression e) {
        return e.type() == DataType.TEXT ? e : Operators.cast(e, DataType.TEXT, false);
    }

    static Expression text(Expression e, String where) {
        if (e.type() != DataType.TEXT && e.type() != DataType.NULL) {
            throw new UserMistake(where + " needs text, but found " + e.type() + " (" + e + "); use cast(… as text)");
        }
        return Types.coerce(e, DataType.TEXT);
    }

    static Expression number(Expression e, String where) {
        if (!e.type().isNumeric() && e.type() != DataType.NULL) {
            throw new UserMistake(where + " needs a number, but found " + e.type() + " (" + e + ")");
        }
        return e.type() == DataType.NULL ? Types.coerce(e, DataType.DOUBLE) : e;
    }

    static Expression whole(Expression e, String where) {
        if (e.type() != DataType.INT && e.type() != DataType.LONG && e.type() != DataType.NULL) {
            throw new UserMistake(where + " needs a whole number, but found " + e.type() + " (" + e + ")");
        }
        return Types.coerce(e, DataType.INT);
    }

    static Expression wholeLong(Expression e, String where) {
        if (e.type() != DataType.INT && e.type() != DataType.LONG && e.type() != DataType.NULL) {
            throw new UserMistake(where + " is multiplied by a whole number, but found " + e.type() + " (" + e + ")");
        }
        return e;
    }

    /** The value of an argument that must be a text literal. */
    static String literal(Expression e, String where, String what) {
        if (e instanceof Literal l && l.value() instanceof String text) {
            return text;
        }
        throw new UserMistake(where + " needs a text literal as its " + what + ", but found " + e);
    }
}
