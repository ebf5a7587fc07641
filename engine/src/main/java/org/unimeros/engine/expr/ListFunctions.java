package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.IntPredicate;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.ListOf;
import org.unimeros.engine.data.DataType.Struct;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.ScalarFunction.Kernel;

/** Functions of lists and structs. Positions count from 1; negative ones from the end. */
final class ListFunctions {

    private static final int MOST_VALUES = 1000;

    private ListFunctions() {}

    /** Appends to the elements of the list of a row. */
    @FunctionalInterface
    interface Elements extends Serializable {
        void append(int row, ColumnBuilder to);
    }

    /** The elements of one list, by their places among the elements of all. */
    @FunctionalInterface
    private interface Picking extends Serializable {
        int[] pick(int[] places, Column elements);
    }

    static void define(Functions.Table t) {
        t.define("list", 0, MOST_VALUES, ListFunctions::list);
        t.define("struct", 2, MOST_VALUES, ListFunctions::struct);
        t.define("cardinality", 1, 1, args -> {
            Kernel kernel = (columns, rows, nulls) -> lengths((ListColumn) columns[0], rows, nulls);
            return new Call(
                    ScalarFunction.call("cardinality", kernel),
                    List.of(ofList(args.get(0), "cardinality")),
                    DataType.INT);
        });
        t.define("element_at", 2, 2, ListFunctions::elementAt);
        t.define("slice", 3, 3, ListFunctions::slice);
        rearranging(t);
        reducing(t);
        making(t);
    }

    static Expression reverse(List<Expression> args) {
        return picking("reverse", args, (places, elements) -> reversed(places));
    }

    private static void rearranging(Functions.Table t) {
        t.define("sorted", 1, 1, args -> picking("sorted", args, ListFunctions::sorted));
        t.define("without_repeats", 1, 1, args -> picking("without_repeats", args, ListFunctions::distinct));
        t.define(
                "without_nulls",
                1,
                1,
                args -> picking("without_nulls", args, (places, elements) -> only(places, p -> !elements.isNull(p))));
    }

    private static void reducing(Functions.Table t) {
        t.define("min_element", 1, 1, args -> extreme("min_element", args, -1));
        t.define("max_element", 1, 1, args -> extreme("max_element", args, 1));
    }

    private static void making(Functions.Table t) {
        t.define("split", 2, 2, ListFunctions::split);
        t.define("series", 2, 3, SeriesFunction::ofNumbers);
    }

    /** The value of a field of a struct; of a list of structs, the list of its values. */
    static Expression field(Expression struct, String name) {
        DataType type = struct.type();
        if (type instanceof ListOf list && list.element() instanceof Struct elements) {
            int index = index(elements, name, struct);
            Kernel kernel = (args, rows, nulls) -> {
                ListColumn lists = (ListColumn) args[0];
                StructColumn structs = (StructColumn) lists.elements();
                return lists.withElements(structs.fieldOrNull(index, lists.elementCount()));
            };
            DataType part = new ListOf(elements.parts().get(index).type());
            return new Call(
                    ScalarFunction.pattern("%s." + elements.parts().get(index).name(), kernel), List.of(struct), part);
        }
        if (!(type instanceof Struct of)) {
            throw new UserMistake("." + name + " needs a struct, but found " + type + " (" + struct + ")");
        }
        int index = index(of, name, struct);
        Kernel kernel = (args, rows, nulls) -> ((StructColumn) args[0]).fieldOrNull(index, rows);
        ScalarFunction access = new ScalarFunction(
                "%s." + of.parts().get(index).name(), ScalarFunction.Style.PATTERN, false, false, kernel);
        return new Call(access, List.of(struct), of.parts().get(index).type());
    }

    private static int index(Struct type, String name, Expression struct) {
        int index = type.indexOf(name);
        if (index < 0) {
            throw new UserMistake("unknown field " + name + " of " + struct + NameSuggestions.hint(name, type.names()));
        }
        return index;
    }

    private static Expression ofList(Expression e, String where) {
        if (e.type() == DataType.NULL) {
            return new Literal(null, new ListOf(DataType.NULL));
        }
        if (!(e.type() instanceof ListOf)) {
            throw new UserMistake(where + " needs a list, but found " + e.type() + " (" + e + ")");
        }
        return e;
    }

    private static DataType element(Expression list) {
        return ((ListOf) list.type()).element();
    }

    /** Lists made row by row; null rows get none. */
    static Column build(DataType element, int rows, long[] nulls, Elements each) {
        ColumnBuilder out = ColumnBuilder.of(new ListOf(element));
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i)) {
                each.append(i, out.elements());
            }
            out.endList();
        }
        return out.build().withNulls(nulls);
    }

    private static Expression list(List<Expression> args) {
        List<Expression> values = args.isEmpty() ? args : Types.unify(args, "list(…)");
        DataType type = values.isEmpty() ? DataType.NULL : values.get(0).type();
        Kernel kernel = (columns, rows, nulls) -> build(type, rows, null, (row, to) -> {
            for (Column column : columns) {
                to.append(column, row);
            }
        });
        return new Call(
                new ScalarFunction("list", ScalarFunction.Style.CALL, false, false, kernel), values, new ListOf(type));
    }

    private static Expression struct(List<Expression> args) {
        List<Struct.Part> parts = new ArrayList<>();
        if (args.size() % 2 != 0) {
            throw new UserMistake("struct is called as struct(name, value, …), but found an odd number of arguments");
        }
        for (int i = 0; i < args.size(); i += 2) {
            String name = Functions.literal(args.get(i), "struct", "name of a field");
            parts.add(new Struct.Part(name, args.get(i + 1).type()));
        }
        Kernel kernel = (columns, rows, nulls) -> {
            Column[] fields = new Column[columns.length / 2];
            for (int i = 0; i < fields.length; i++) {
                fields[i] = columns[2 * i + 1];
            }
            return new StructColumn(fields, null);
        };
        return new Call(
                new ScalarFunction("struct", ScalarFunction.Style.CALL, false, false, kernel), args, new Struct(parts));
    }

    private static Column lengths(ListColumn lists, int rows, long[] nulls) {
        int[] out = new int[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = lists.length(i);
        }
        return new IntColumn(out, nulls);
    }

    private static Expression elementAt(List<Expression> args) {
        Expression list = ofList(args.get(0), "element_at");
        DataType type = element(list);
        Kernel kernel = (columns, rows, nulls) -> {
            ListColumn lists = (ListColumn) columns[0];
            int[] wanted = ((IntColumn) columns[1]).values();
            ColumnBuilder out = ColumnBuilder.of(type);
            for (int i = 0; i < rows; i++) {
                int place = Arithmetic.isNull(nulls, i) ? -1 : place(wanted[i], lists.length(i));
                if (place < 0) {
                    out.appendNull();
                } else {
                    out.append(lists.elements(), lists.start(i) + place);
                }
            }
            return out.build();
        };
        return new Call(
                new ScalarFunction("element_at", ScalarFunction.Style.CALL, false, false, kernel),
                List.of(list, Functions.whole(args.get(1), "element_at")),
                type);
    }

    /** The place, from 0, of a position; -1 when there is none. */
    private static int place(int position, int length) {
        long place = position < 0 ? (long) length + position : (long) position - 1;
        return place < 0 || place >= length ? -1 : (int) place;
    }

    /** The list and the value with one type for its elements. */
    private static List<Expression> withValue(List<Expression> args, String where) {
        Expression list = ofList(args.get(0), where);
        DataType element = element(list);
        DataType type = Types.common(element, args.get(1).type())
                .orElseThrow(() -> new UserMistake(where + " needs a value of the type of the elements, but found "
                        + element + " and " + args.get(1).type() + " (" + args.get(1) + ")"));
        return List.of(Types.coerce(list, new ListOf(type)), Types.coerce(args.get(1), type));
    }

    static Expression contains(List<Expression> args) {
        Kernel kernel = (columns, rows, nulls) -> {
            ListColumn lists = (ListColumn) columns[0];
            long[] hits = Bits.make(rows);
            long[] unknown = nulls == null ? Bits.make(rows) : Arrays.copyOf(nulls, Bits.words(rows));
            for (int i = 0; i < rows; i++) {
                if (Arithmetic.isNull(nulls, i)) {
                    continue;
                }
                if (find(lists, i, columns[1]) >= 0) {
                    Bits.set(hits, i);
                } else if (hasNull(lists, i)) {
                    Bits.set(unknown, i);
                }
            }
            return new BooleanColumn(hits, Bits.any(unknown, rows) ? unknown : null);
        };
        return new Call(
                new ScalarFunction("contains", ScalarFunction.Style.CALL, false, false, kernel),
                withValue(args, "contains"),
                DataType.BOOLEAN);
    }

    static Expression position(List<Expression> args) {
        Kernel kernel = (columns, rows, nulls) -> {
            int[] out = new int[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = Arithmetic.isNull(nulls, i) ? 0 : find((ListColumn) columns[0], i, columns[1]) + 1;
            }
            return new IntColumn(out, nulls);
        };
        return new Call(ScalarFunction.call("position", kernel), withValue(args, "position"), DataType.INT);
    }

    private static int find(ListColumn lists, int row, Column value) {
        Column elements = lists.elements();
        for (int k = lists.start(row); k < lists.end(row); k++) {
            if (!elements.isNull(k) && ValueOrder.compare(elements, k, value, row) == 0) {
                return k - lists.start(row);
            }
        }
        return -1;
    }

    private static boolean hasNull(ListColumn lists, int row) {
        for (int k = lists.start(row); k < lists.end(row); k++) {
            if (lists.elements().isNull(k)) {
                return true;
            }
        }
        return false;
    }

    static Expression concat(List<Expression> args) {
        List<Expression> lists =
                Types.unify(List.of(ofList(args.get(0), "concat"), ofList(args.get(1), "concat")), "concat");
        DataType type = element(lists.get(0));
        Kernel kernel = (columns, rows, nulls) -> build(type, rows, nulls, (row, to) -> {
            for (Column column : columns) {
                ListColumn list = (ListColumn) column;
                for (int k = list.start(row); k < list.end(row); k++) {
                    to.append(list.elements(), k);
                }
            }
        });
        return new Call(
                ScalarFunction.call("concat", kernel), lists, lists.get(0).type());
    }

    private static Expression slice(List<Expression> args) {
        Expression list = ofList(args.get(0), "slice");
        Kernel kernel = (columns, rows, nulls) -> {
            ListColumn lists = (ListColumn) columns[0];
            int[] from = ((IntColumn) columns[1]).values();
            int[] to = ((IntColumn) columns[2]).values();
            int[] starts = new int[rows];
            int[] ends = new int[rows];
            for (int i = 0; i < rows; i++) {
                if (!Arithmetic.isNull(nulls, i)) {
                    int n = lists.length(i);
                    int first = bound(from[i], n);
                    starts[i] = lists.start(i) + Math.clamp(first - 1L, 0, n);
                    ends[i] = Math.max(starts[i], lists.start(i) + Math.clamp(bound(to[i], n), 0, n));
                }
            }
            return new ListColumn(starts, ends, lists.elements(), lists.elementCount(), nulls);
        };
        return new Call(
                ScalarFunction.call("slice", kernel),
                List.of(list, Functions.whole(args.get(1), "slice"), Functions.whole(args.get(2), "slice")),
                list.type());
    }

    /** A position counted from the start. */
    private static int bound(int position, int length) {
        return position < 0 ? Math.max(0, length + position + 1) : position;
    }

    static Expression join(List<Expression> args) {
        Expression list = ofList(args.get(0), "concat_ws");
        DataType type = element(list);
        Kernel kernel = (columns, rows, nulls) -> {
            ListColumn lists = (ListColumn) columns[0];
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                if (Arithmetic.isNull(nulls, i)) {
                    out.appendNull();
                    continue;
                }
                List<String> texts = new ArrayList<>();
                for (int k = lists.start(i); k < lists.end(i); k++) {
                    if (!lists.elements().isNull(k)) {
                        texts.add(Values.text(lists.elements(), k, type));
                    }
                }
                out.appendText(String.join(((TextColumn) columns[1]).text(i), texts));
            }
            return out.build();
        };
        return new Call(
                ScalarFunction.call("concat_ws", kernel),
                List.of(list, Functions.text(args.get(1), "concat_ws")),
                DataType.TEXT);
    }

    private static Expression picking(String name, List<Expression> args, Picking picking) {
        Expression list = ofList(args.get(0), name);
        Kernel kernel = (columns, rows, nulls) -> {
            ListColumn lists = (ListColumn) columns[0];
            int[] bounds = new int[rows + 1];
            int[] all = new int[64];
            for (int i = 0; i < rows; i++) {
                int[] places = new int[Arithmetic.isNull(nulls, i) ? 0 : lists.length(i)];
                int start = lists.start(i);
                Arrays.setAll(places, k -> start + k);
                int[] picked = picking.pick(places, lists.elements());
                bounds[i + 1] = Math.addExact(bounds[i], picked.length);
                if (bounds[i + 1] > all.length) {
                    all = Arrays.copyOf(all, Math.max(bounds[i + 1], 2 * all.length));
                }
                System.arraycopy(picked, 0, all, bounds[i], picked.length);
            }
            return ListColumn.packed(bounds, lists.elements().gather(all, bounds[rows]), bounds[rows], nulls);
        };
        return new Call(ScalarFunction.call(name, kernel), List.of(list), list.type());
    }

    private static int[] sorted(int[] places, Column elements) {
        return Arrays.stream(places)
                .boxed()
                .sorted((a, b) -> {
                    boolean nullA = elements.isNull(a);
                    boolean nullB = elements.isNull(b);
                    if (nullA || nullB) {
                        return Boolean.compare(nullA, nullB);
                    }
                    return ValueOrder.compare(elements, a, elements, b);
                })
                .mapToInt(Integer::intValue)
                .toArray();
    }

    private static int[] reversed(int[] places) {
        int[] out = new int[places.length];
        for (int i = 0; i < out.length; i++) {
            out[i] = places[places.length - 1 - i];
        }
        return out;
    }

    private static int[] only(int[] places, IntPredicate keep) {
        return Arrays.stream(places).filter(keep).toArray();
    }

    /** Among equal elements the sort, which is stable, leaves the first in front. */
    private static int[] distinct(int[] places, Column elements) {
        int[] sorted = sorted(places, elements);
        int[] first = new int[sorted.length];
        int n = 0;
        for (int i = 0; i < sorted.length; i++) {
            if (i == 0 || !same(elements, sorted[i - 1], sorted[i])) {
                first[n++] = sorted[i];
            }
        }
        int[] out = Arrays.copyOf(first, n);
        Arrays.sort(out);
        return out;
    }

    private static boolean same(Column elements, int a, int b) {
        boolean nullA = elements.isNull(a);
        boolean nullB = elements.isNull(b);
        return nullA || nullB ? nullA == nullB : ValueOrder.compare(elements, a, elements, b) == 0;
    }

    private static Expression extreme(String name, List<Expression> args, int sign) {
        Expression list = ofList(args.get(0), name);
        DataType type = element(list);
        Kernel kernel = (columns, rows, nulls) -> {
            ListColumn lists = (ListColumn) columns[0];
            Column elements = lists.elements();
            ColumnBuilder out = ColumnBuilder.of(type);
            for (int i = 0; i < rows; i++) {
                int best = -1;
                int end = Arithmetic.isNull(nulls, i) ? lists.start(i) : lists.end(i);
                for (int k = lists.start(i); k < end; k++) {
                    boolean better = !elements.isNull(k)
                            && (best < 0 || ValueOrder.compare(elements, k, elements, best) == sign);
                    best = better ? k : best;
                }
                if (best < 0) {
                    out.appendNull();
                } else {
                    out.append(elements, best);
                }
            }
            return out.build();
        };
        return new Call(new ScalarFunction(name, ScalarFunction.Style.CALL, false, false, kernel), List.of(list), type);
    }

    private static Expression split(List<Expression> args) {
        List<Expression> texts =
                args.stream().map(a -> Functions.text(a, "split")).toList();
        Kernel kernel = (columns, rows, nulls) -> build(DataType.TEXT, rows, nulls, (row, to) -> {
            String text = ((TextColumn) columns[0]).text(row);
            String separator = ((TextColumn) columns[1]).text(row);
            if (separator.isEmpty()) {
                text.codePoints().forEach(c -> to.appendText(Character.toString(c)));
                return;
            }
            int from = 0;
            for (int at = text.indexOf(separator); at >= 0; at = text.indexOf(separator, from)) {
                to.appendText(text.substring(from, at));
                from = at + separator.length();
            }
            to.appendText(text.substring(from));
        });
        return new Call(ScalarFunction.call("split", kernel), texts, new ListOf(DataType.TEXT));
    }
}
