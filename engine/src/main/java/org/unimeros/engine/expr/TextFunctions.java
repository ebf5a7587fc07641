package org.unimeros.engine.expr;

import java.io.Serializable;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.regex.PatternSyntaxException;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions.Resolver;
import org.unimeros.engine.expr.ScalarFunction.Kernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/** Functions of text. Characters are Unicode code points. */
final class TextFunctions {

    /** Characters of a text that is filled or repeated. */
    private static final long LONGEST_MADE = 64L << 20;

    private TextFunctions() {}

    /** Makes text from text and whole numbers. */
    @FunctionalInterface
    interface TextOf extends Serializable {
        String of(String text, int[] numbers, String[] texts);
    }

    static void define(Functions.Table t) {
        t.define("lower", 1, 1, simple("lower", DataType.TEXT, TextKernels::lower));
        t.define("upper", 1, 1, simple("upper", DataType.TEXT, TextKernels::upper));
        t.define("initcap", 1, 1, simple("initcap", DataType.TEXT, TextKernels.each(TextFunctions::initcap)));
        t.define(
                "reverse",
                1,
                1,
                orOfLists(
                        0,
                        simple(
                                "reverse",
                                DataType.TEXT,
                                TextKernels.each(
                                        s -> new StringBuilder(s).reverse().toString())),
                        ListFunctions::reverse));
        t.define("length", 1, 1, simple("length", DataType.INT, TextKernels::length));
        for (String name : new String[] {"char_length", "character_length"}) {
            t.define(name, 1, 1, simple("length", DataType.INT, TextKernels::length));
        }
        digests(t);
        t.define("octet_length", 1, 1, simple("octet_length", DataType.INT, TextKernels::octetLength));
        t.define(
                "ascii",
                1,
                1,
                simple("ascii", DataType.INT, TextKernels.measure(s -> s.isEmpty() ? 0 : s.codePointAt(0))));
        t.define("trim", 1, 2, args -> TextSlices.trim("trim", args, true, true));
        t.define("ltrim", 1, 2, args -> TextSlices.trim("ltrim", args, true, false));
        t.define("rtrim", 1, 2, args -> TextSlices.trim("rtrim", args, false, true));
        parts(t);
        combined(t);
        expressions(t);
    }

    private static void digests(Functions.Table t) {
        t.define("md5", 1, 1, simple("md5", DataType.TEXT, TextKernels.each(s -> digest("MD5", s))));
        t.define("sha256", 1, 1, simple("sha256", DataType.TEXT, TextKernels.each(s -> digest("SHA-256", s))));
    }

    private static String digest(String algorithm, String text) {
        try {
            byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
            return HexFormat.of().formatHex(MessageDigest.getInstance(algorithm).digest(bytes));
        } catch (NoSuchAlgorithmException e) {
            throw new InternalFault("every platform has " + algorithm, e);
        }
    }

    private static boolean isList(Expression e) {
        return e.type() instanceof DataType.ListOf;
    }

    /** A function of texts that means the same of lists, where the argument at a place is one. */
    private static Resolver orOfLists(int place, Resolver ofTexts, Resolver ofLists) {
        return args -> isList(args.get(place)) ? ofLists.resolve(args) : ofTexts.resolve(args);
    }

    private static void parts(Functions.Table t) {
        t.define("substring", 2, 3, TextSlices::substring);
        t.define("substr", 2, 3, TextSlices::substring);
        t.define("left", 2, 2, TextSlices::left);
        t.define("right", 2, 2, TextSlices::right);
        t.define("split_part", 3, 3, TextSlices::splitPart);
        t.define(
                "position",
                2,
                2,
                orOfLists(
                        1,
                        simple("position", DataType.INT, TextKernels::position),
                        args -> ListFunctions.position(List.of(args.get(1), args.get(0)))));
        t.define("strpos", 2, 2, args -> Functions.call("position", List.of(args.get(1), args.get(0))));
        t.define("starts_with", 2, 2, simple("starts_with", DataType.BOOLEAN, TextKernels::startsWith));
        t.define("ends_with", 2, 2, simple("ends_with", DataType.BOOLEAN, TextKernels::endsWith));
        t.define(
                "contains",
                2,
                2,
                orOfLists(0, simple("contains", DataType.BOOLEAN, TextKernels::contains), ListFunctions::contains));
    }

    private static void combined(Functions.Table t) {
        t.define(
                "concat",
                1,
                99,
                args -> args.size() == 2 && args.stream().allMatch(TextFunctions::isList)
                        ? ListFunctions.concat(args)
                        : new Call(
                                ScalarFunction.call("concat", TextKernels::concat),
                                args.stream().map(Functions::asText).toList(),
                                DataType.TEXT));
        t.define(
                "concat_ws",
                2,
                99,
                args -> args.size() == 2 && isList(args.get(1))
                        ? ListFunctions.join(List.of(args.get(1), args.get(0)))
                        : concatWithSeparator(args));
        t.define("replace", 3, 3, simple("replace", DataType.TEXT, TextKernels::replace));
        t.define("translate", 3, 3, args -> call("translate", args, TextFunctions::translated));
        t.define("repeat", 2, 2, TextFunctions::repeated);
        t.define("lpad", 2, 3, args -> padded("lpad", args, true));
        t.define("rpad", 2, 3, args -> padded("rpad", args, false));
        t.define(
                "chr",
                1,
                1,
                args -> new Call(
                        ScalarFunction.failing("chr", TextFunctions::chr),
                        List.of(Functions.whole(args.get(0), "chr")),
                        DataType.TEXT));
    }

    private static void expressions(Functions.Table t) {
        t.define("matches", 2, 2, args -> {
            Pattern pattern = pattern(args.get(1), "matches");
            Kernel kernel = (a, rows, nulls) ->
                    test(a[0], rows, nulls, s -> BoundedMatch.of(pattern, s).find());
            return ofPattern("matches", args, kernel, DataType.BOOLEAN);
        });
        t.define("regexp_replace", 3, 4, TextFunctions::regexpReplace);
        t.define("regexp_substr", 2, 2, args -> {
            Pattern pattern = pattern(args.get(1), "regexp_substr");
            return textOrNull("regexp_substr(%s, " + args.get(1) + ")", args.get(0), s -> {
                Matcher m = BoundedMatch.of(pattern, s);
                return m.find() ? m.group() : null;
            });
        });
        t.define("regexp_count", 2, 2, args -> {
            Pattern pattern = pattern(args.get(1), "regexp_count");
            Kernel kernel = TextKernels.measure(
                    s -> (int) BoundedMatch.of(pattern, s).results().count());
            return ofPattern("regexp_count", args, kernel, DataType.INT);
        });
    }

    private static Resolver simple(String name, DataType result, Kernel kernel) {
        return args -> {
            List<Expression> typed =
                    args.stream().map(a -> Functions.text(a, name)).toList();
            return new Call(ScalarFunction.call(name, TextKernels.oncePerEntry(typed, kernel)), typed, result);
        };
    }

    private static Expression call(String name, List<Expression> args, Kernel kernel) {
        return simple(name, DataType.TEXT, kernel).resolve(args);
    }

    /** The arguments of a function of a text and whole numbers. */
    static List<Expression> textAndNumbers(String name, List<Expression> args) {
        List<Expression> typed = new ArrayList<>(List.of(Functions.text(args.get(0), name)));
        args.subList(1, args.size()).forEach(a -> typed.add(Functions.whole(a, name)));
        return typed;
    }

    static Column texts(Column[] columns, int rows, long[] nulls, int numbers, TextOf function) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        int[] n = new int[numbers];
        String[] texts = new String[columns.length - 1 - numbers];
        for (int i = 0; i < rows; i++) {
            if (Arithmetic.isNull(nulls, i)) {
                out.appendText("");
                continue;
            }
            for (int k = 0; k < numbers; k++) {
                n[k] = ((IntColumn) columns[1 + k]).values()[i];
            }
            for (int k = 0; k < texts.length; k++) {
                texts[k] = ((TextColumn) columns[1 + numbers + k]).text(i);
            }
            out.appendText(function.of(((TextColumn) columns[0]).text(i), n, texts));
        }
        return out.build().withNulls(nulls);
    }

    /** A function of a text and a regular expression that its kernel knows. */
    private static Expression ofPattern(String name, List<Expression> args, Kernel kernel, DataType result) {
        List<Expression> text = List.of(Functions.text(args.get(0), name));
        String call = name + "(%s, " + args.get(1) + ")";
        return new Call(ScalarFunction.pattern(call, TextKernels.oncePerEntry(text, kernel)), text, result);
    }

    private static Expression textOrNull(String call, Expression arg, TravellingFunctions.OfText function) {
        Kernel kernel = (columns, rows, nulls) -> {
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                String made = Arithmetic.isNull(nulls, i) ? null : function.apply(((TextColumn) columns[0]).text(i));
                if (made == null) {
                    out.appendNull();
                } else {
                    out.appendText(made);
                }
            }
            return out.build();
        };
        List<Expression> typed = List.of(Functions.text(arg, call));
        Kernel once = TextKernels.oncePerEntry(typed, kernel);
        return new Call(
                new ScalarFunction(call, ScalarFunction.Style.PATTERN, false, false, once), typed, DataType.TEXT);
    }

    private static Column test(Column column, int rows, long[] nulls, java.util.function.Predicate<String> test) {
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i) && test.test(((TextColumn) column).text(i))) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    private static String initcap(String text) {
        StringBuilder out = new StringBuilder();
        boolean inWord = false;
        for (int c : text.codePoints().toArray()) {
            out.appendCodePoint(inWord ? Character.toLowerCase(c) : Character.toUpperCase(c));
            inWord = Character.isLetterOrDigit(c);
        }
        return out.toString();
    }

    private static Expression padded(String name, List<Expression> args, boolean left) {
        Expression fill = args.size() == 3 ? args.get(2) : new Literal(" ", DataType.TEXT);
        List<Expression> typed = List.of(
                Functions.text(args.get(0), name), Functions.whole(args.get(1), name), Functions.text(fill, name));
        Kernel kernel = (columns, rows, nulls) -> {
            int[] lengths = ((IntColumn) columns[1]).values();
            for (int i = 0; i < rows; i++) {
                requireLength(name, i, Arithmetic.isNull(nulls, i) ? 0 : lengths[i]);
            }
            return TextKernels.pad(columns, rows, nulls, left);
        };
        return new Call(ScalarFunction.failing(name, kernel), typed, DataType.TEXT);
    }

    /** A text is a value of one row, which must fit into memory several times. */
    private static void requireLength(String name, int row, long length) {
        if (length > LONGEST_MADE) {
            throw new RowProblem(
                    row, name + " makes a text of " + length + " characters, and " + LONGEST_MADE + " are the most");
        }
    }

    private static Expression repeated(List<Expression> args) {
        Kernel kernel = (columns, rows, nulls) -> {
            TextColumn texts = (TextColumn) columns[0];
            int[] counts = ((IntColumn) columns[1]).values();
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                if (Arithmetic.isNull(nulls, i)) {
                    out.appendNull();
                    continue;
                }
                String text = texts.text(i);
                int count = Math.max(0, counts[i]);
                requireLength("repeat", i, (long) text.length() * count);
                out.appendText(text.repeat(count));
            }
            return out.build();
        };
        return new Call(ScalarFunction.failing("repeat", kernel), textAndNumbers("repeat", args), DataType.TEXT);
    }

    private static Column translated(Column[] columns, int rows, long[] nulls) {
        return texts(columns, rows, nulls, 0, (s, n, x) -> {
            StringBuilder out = new StringBuilder();
            int[] to = x[1].codePoints().toArray();
            for (int c : s.codePoints().toArray()) {
                int at = x[0].indexOf(c);
                int place = at < 0 ? -1 : x[0].codePointCount(0, at);
                if (place < 0) {
                    out.appendCodePoint(c);
                } else if (place < to.length) {
                    out.appendCodePoint(to[place]);
                }
            }
            return out.toString();
        });
    }

    private static Expression concatWithSeparator(List<Expression> args) {
        List<Expression> typed = new ArrayList<>(List.of(Functions.text(args.get(0), "concat_ws")));
        args.subList(1, args.size()).forEach(a -> typed.add(Functions.asText(a)));
        return new Call(
                new ScalarFunction(
                        "concat_ws",
                        ScalarFunction.Style.CALL,
                        false,
                        false,
                        (columns, rows, nulls) -> TextKernels.concatWithSeparator(columns, rows)),
                typed,
                DataType.TEXT);
    }

    private static Column chr(Column[] columns, int rows, long[] nulls) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < rows; i++) {
            int point = Arithmetic.isNull(nulls, i) ? 'x' : ((IntColumn) columns[0]).values()[i];
            if (!Character.isValidCodePoint(point) || point == 0) {
                throw new RowProblem(i, "there is no character " + point);
            }
            out.appendText(Character.toString(point));
        }
        return out.build().withNulls(nulls);
    }

    private static Pattern pattern(Expression e, String where) {
        String regex = Functions.literal(e, where, "regular expression");
        try {
            return Pattern.compile(regex);
        } catch (PatternSyntaxException x) {
            throw new UserMistake(where + ": '" + regex + "' is no regular expression: " + x.getDescription(), x);
        }
    }

    private static Expression regexpReplace(List<Expression> args) {
        Pattern pattern = pattern(args.get(1), "regexp_replace");
        // A group is written \1 in SQL and $1 here.
        String by = Functions.literal(args.get(2), "regexp_replace", "replacement")
                .replace("$", "\\$")
                .replaceAll("\\\\([1-9])", "\\$$1");
        Optional<String> flags = args.size() == 4
                ? Optional.of(Functions.literal(args.get(3), "regexp_replace", "flags"))
                : Optional.empty();
        if (flags.isPresent() && !flags.get().equals("g")) {
            throw new UserMistake("regexp_replace knows only the flag 'g', but found '" + flags.get() + "'");
        }
        boolean all = flags.isPresent();
        String call = "regexp_replace(%s, " + args.get(1) + ", " + args.get(2) + (all ? ", 'g')" : ")");
        return textOrNull(call, args.get(0), s -> {
            Matcher m = BoundedMatch.of(pattern, s);
            try {
                return all ? m.replaceAll(by) : m.replaceFirst(by);
            } catch (IndexOutOfBoundsException e) {
                throw new UserMistake(
                        "regexp_replace: the replacement " + args.get(2) + " names a group that " + args.get(1)
                                + " has not got",
                        e);
            }
        });
    }
}
