package org.unimeros.examples;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import java.util.function.Function;
import java.util.function.ToIntBiFunction;

/**
 * Random queries with inner queries of every kind, each with its answer by the slow, obvious way: every inner query is evaluated anew
 * for each row around it. Names are qualified where they must be, and by chance where they need not be.
 */
final class RandomInnerQueries {

    /** Tables of two whole numbers, some of them null. */
    static final Map<String, List<String>> TABLES =
            Map.of("hubs", List.of("a", "b"), "vans", List.of("c", "d"), "tours", List.of("e", "f"));

    /** A row around, or a group of them. */
    private record Env(Env outer, Map<String, List<Object>> rows, List<Env> group) {
        List<Object> row(String alias) {
            return rows.containsKey(alias) ? rows.get(alias) : outer.row(alias);
        }

        Env with(String alias, List<Object> row) {
            Map<String, List<Object>> more = new HashMap<>(rows);
            more.put(alias, row);
            return new Env(outer, more, group);
        }
    }

    /** A piece of SQL and what it gives. */
    private record Node(String sql, Function<Env, Object> value) {}

    /** A query without outer columns, its answer in any order. */
    record Query(String sql, List<List<Object>> rows) {}

    private record Part(String sql, int width, Function<Env, List<List<Object>>> rows) {}

    private record Source(String alias, List<String> columns) {}

    private record Input(String sql, List<Source> sources, Function<Env, List<Env>> rows) {}

    /** What can be named where; of a grouped query only its keys can be read. */
    private static final class Scope {
        final Scope outer;
        final List<Source> sources = new ArrayList<>();
        List<Node> readable;

        Scope(Scope outer) {
            this.outer = outer;
        }
    }

    private final Random random;
    private final Map<String, List<List<Object>>> data;
    private int aliases;

    RandomInnerQueries(long seed, Map<String, List<List<Object>>> data) {
        this.random = new Random(seed);
        this.data = data;
    }

    static Map<String, List<List<Object>>> data(long seed) {
        Random random = new Random(seed);
        Map<String, List<List<Object>>> data = new HashMap<>();
        TABLES.keySet().stream().sorted().forEach(table -> {
            List<List<Object>> rows = new ArrayList<>();
            for (int i = 0; i < 7; i++) {
                rows.add(row(number(random), number(random)));
            }
            data.put(table, rows);
        });
        return data;
    }

    private static Object number(Random random) {
        return random.nextInt(6) == 0 ? null : (Object) (long) random.nextInt(4);
    }

    private static List<Object> row(Object... cells) {
        List<Object> row = new ArrayList<>();
        for (Object cell : cells) {
            row.add(cell);
        }
        return row;
    }

    Query next() {
        Part part = query(null, 2, 1 + random.nextInt(2));
        return new Query(part.sql, part.rows.apply(new Env(null, Map.of(), null)));
    }

    private boolean chance(int percent) {
        return random.nextInt(100) < percent;
    }

    // ---- queries

    private Part query(Scope outer, int depth, int width) {
        int kind = random.nextInt(100);
        if (depth < 2 && kind < 12) {
            return setOperation(outer, depth, width);
        }
        if (depth < 2 && kind < 18 && width == 1) {
            return values(outer, depth);
        }
        return kind < 55 ? select(outer, depth, width, false) : select(outer, depth, width, true);
    }

    private Part setOperation(Scope outer, int depth, int width) {
        Part a = select(outer, depth, width, chance(40));
        Part b = select(outer, depth, width, chance(40));
        String op = List.of("union all", "union", "except", "intersect").get(random.nextInt(4));
        return new Part(a.sql + " " + op + " " + b.sql, width, env -> {
            List<List<Object>> left = a.rows.apply(env);
            List<List<Object>> right = b.rows.apply(env);
            List<List<Object>> all = new ArrayList<>(left);
            switch (op) {
                case "except" -> all.removeIf(right::contains);
                case "intersect" -> all.removeIf(r -> !right.contains(r));
                default -> all.addAll(right);
            }
            return op.equals("union all") ? all : all.stream().distinct().toList();
        });
    }

    private Part values(Scope outer, int depth) {
        Scope nothing = new Scope(outer);
        nothing.readable = List.of();
        List<Node> cells = List.of(number(nothing, 0), number(nothing, 0));
        return new Part(
                "values (" + cells.get(0).sql + "), (" + cells.get(1).sql + ")",
                1,
                env -> List.of(
                        row(cells.get(0).value.apply(env)),
                        row(cells.get(1).value.apply(env))));
    }

    private Part select(Scope outer, int depth, int width, boolean grouped) {
        Scope scope = new Scope(outer);
        Input input = input(scope, outer, depth);
        scope.readable = columns(scope);
        Node where = chance(75) ? condition(scope, depth) : null;
        String from = " from " + input.sql + (where == null ? "" : " where " + where.sql);
        Function<Env, List<Env>> rows = env -> input.rows.apply(env).stream()
                .filter(e -> where == null || Boolean.TRUE.equals(where.value.apply(e)))
                .toList();
        return grouped ? grouped(scope, depth, width, from, rows) : plain(scope, depth, width, from, rows);
    }

    private Part plain(Scope scope, int depth, int width, String from, Function<Env, List<Env>> rows) {
        List<Node> items = new ArrayList<>();
        for (int i = 0; i < width; i++) {
            items.add(number(scope, depth));
        }
        boolean distinct = chance(15);
        return new Part("select " + (distinct ? "distinct " : "") + list(items) + from, width, env -> {
            List<List<Object>> all = rows.apply(env).stream()
                    .map(e -> items.stream()
                            .map(i -> i.value.apply(e))
                            .collect(ArrayList<Object>::new, List::add, List::addAll))
                    .map(r -> (List<Object>) r)
                    .toList();
            return distinct ? all.stream().distinct().toList() : all;
        });
    }

    private Part grouped(Scope scope, int depth, int width, String from, Function<Env, List<Env>> rows) {
        List<Node> columns = scope.readable;
        List<Node> keys = chance(55) ? List.of() : List.of(columns.get(random.nextInt(columns.size())));
        scope.readable = keys;
        List<Node> items = new ArrayList<>();
        for (int i = 0; i < width; i++) {
            items.add(ofGroup(scope, columns, keys, depth));
        }
        Node having = chance(30) ? comparison(ofGroup(scope, columns, keys, depth), number(scope, depth)) : null;
        String sql = "select " + list(items) + from + (keys.isEmpty() ? "" : " group by " + list(keys))
                + (having == null ? "" : " having " + having.sql);
        return new Part(sql, width, env -> {
            Map<List<Object>, List<Env>> groups = new HashMap<>();
            if (keys.isEmpty()) {
                groups.put(List.of(), new ArrayList<>());
            }
            for (Env e : rows.apply(env)) {
                groups.computeIfAbsent(cells(keys, e), k -> new ArrayList<>()).add(e);
            }
            List<List<Object>> all = new ArrayList<>();
            for (List<Env> group : groups.values()) {
                Env e = group.isEmpty() ? new Env(env, Map.of(), group) : new Env(env, group.get(0).rows, group);
                if (having == null || Boolean.TRUE.equals(having.value.apply(e))) {
                    all.add(cells(items, e));
                }
            }
            return all;
        });
    }

    private static List<Object> cells(List<Node> nodes, Env env) {
        List<Object> cells = new ArrayList<>();
        nodes.forEach(n -> cells.add(n.value.apply(env)));
        return cells;
    }

    private static String list(List<Node> nodes) {
        return String.join(", ", nodes.stream().map(Node::sql).toList());
    }

    /** An aggregate, sometimes of an inner query or under a condition with one; or a key. */
    private Node ofGroup(Scope scope, List<Node> columns, List<Node> keys, int depth) {
        if (!keys.isEmpty() && chance(30)) {
            return keys.get(0);
        }
        List<Node> before = scope.readable;
        scope.readable = columns;
        Node own = columns.get(random.nextInt(columns.size()));
        Node argument = chance(20) ? plus(own, number(scope, depth)) : own;
        Node filter = chance(20) ? condition(scope, depth) : null;
        scope.readable = before;
        // With a condition on nothing but outer columns, count(*) would be one of the query around.
        String name = List.of("count", "sum", "min", "max", "count(*)").get(random.nextInt(filter == null ? 5 : 4));
        String call = name.equals("count(*)") ? name : name + "(" + argument.sql + ")";
        Node aggregate = new Node(call + (filter == null ? "" : " filter (where " + filter.sql + ")"), env -> {
            List<Object> found = new ArrayList<>();
            for (Env e : env.group) {
                if (filter == null || Boolean.TRUE.equals(filter.value.apply(e))) {
                    found.add(name.equals("count(*)") ? (Object) 1L : argument.value.apply(e));
                }
            }
            found.removeIf(Objects::isNull);
            return switch (name) {
                case "sum" ->
                    found.isEmpty()
                            ? null
                            : (Object) found.stream().mapToLong(v -> (Long) v).sum();
                case "min" ->
                    found.stream().map(v -> (Long) v).min(Long::compare).orElse(null);
                case "max" ->
                    found.stream().map(v -> (Long) v).max(Long::compare).orElse(null);
                default -> (long) found.size();
            };
        });
        return chance(25) ? plus(aggregate, number(scope, 0)) : aggregate;
    }

    // ---- inputs

    private Input input(Scope scope, Scope outer, int depth) {
        Input first = source(scope, outer, depth);
        if (!chance(35)) {
            return first;
        }
        if (depth > 0 && chance(45)) {
            return lateral(scope, first, depth);
        }
        Input second = source(scope, outer, depth);
        String kind = List.of("join", "left join", "right join").get(random.nextInt(3));
        scope.readable = columns(scope);
        boolean withInner = depth > 0 && chance(30);
        Node equal = comparison(column(scope, first.sources), column(scope, second.sources));
        Node on = withInner ? both("and", equal, condition(scope, depth)) : equal;
        return new Input(
                first.sql + " " + kind + " " + second.sql + " on " + on.sql,
                List.copyOf(scope.sources),
                env -> joined(kind, first, second, on, env));
    }

    private static List<Env> joined(String kind, Input first, Input second, Node on, Env env) {
        List<Env> all = new ArrayList<>();
        List<Env> left = first.rows.apply(env);
        List<Env> right = second.rows.apply(env);
        boolean keepsRight = kind.equals("right join");
        for (Env a : keepsRight ? right : left) {
            boolean found = false;
            for (Env b : keepsRight ? left : right) {
                Env pair = together(a, b);
                if (Boolean.TRUE.equals(on.value.apply(pair))) {
                    all.add(pair);
                    found = true;
                }
            }
            if (!found && !kind.equals("join")) {
                Env alone = a;
                for (Source s : keepsRight ? first.sources : second.sources) {
                    alone = alone.with(s.alias, nulls(s.columns.size()));
                }
                all.add(alone);
            }
        }
        return all;
    }

    private static Env together(Env a, Env b) {
        Map<String, List<Object>> rows = new HashMap<>(a.rows);
        rows.putAll(b.rows);
        return new Env(a.outer, rows, null);
    }

    private static List<Object> nulls(int size) {
        return row(new Object[size]);
    }

    private Input lateral(Scope scope, Input first, int depth) {
        scope.readable = columns(scope);
        boolean left = chance(40);
        Scope around = new Scope(scope.outer);
        around.sources.addAll(scope.sources);
        around.readable = scope.readable;
        Part part = query(around, depth - 1, 1);
        String alias = "t" + aliases++;
        String column = "l" + aliases;
        scope.sources.add(new Source(alias, List.of(column)));
        scope.readable = columns(scope);
        Node on = left && chance(50) ? comparison(column(scope, scope.sources), number(scope, 0)) : null;
        String sql = first.sql + (left ? " left join lateral (" : ", lateral (") + part.sql + ") as " + alias + "("
                + column + ")" + (left ? " on " + (on == null ? "true" : on.sql) : "");
        return new Input(sql, List.copyOf(scope.sources), env -> {
            List<Env> all = new ArrayList<>();
            for (Env a : first.rows.apply(env)) {
                int before = all.size();
                for (List<Object> row : part.rows.apply(new Env(a.outer, a.rows, null))) {
                    Env pair = a.with(alias, row);
                    if (on == null || Boolean.TRUE.equals(on.value.apply(pair))) {
                        all.add(pair);
                    }
                }
                if (left && all.size() == before) {
                    all.add(a.with(alias, nulls(1)));
                }
            }
            return all;
        });
    }

    private Input source(Scope scope, Scope outer, int depth) {
        String alias = "t" + aliases++;
        boolean derived = depth > 0 && chance(20);
        Source source;
        Function<Env, List<List<Object>>> rows;
        String sql;
        if (derived) {
            Part part = query(outer, depth - 1, 1);
            source = new Source(alias, List.of("k" + aliases));
            sql = "(" + part.sql + ") as " + alias + "(" + source.columns.get(0) + ")";
            rows = part.rows;
        } else {
            String table = List.of("hubs", "vans", "tours").get(random.nextInt(3));
            source = new Source(alias, TABLES.get(table));
            sql = table + " as " + alias;
            rows = env -> data.get(table);
        }
        scope.sources.add(source);
        return new Input(
                sql,
                List.of(source),
                env -> rows.apply(env).stream()
                        .map(r -> new Env(env, new HashMap<>(Map.of(alias, r)), null))
                        .toList());
    }

    private List<Node> columns(Scope scope) {
        List<Node> all = new ArrayList<>();
        for (Source s : scope.sources) {
            for (int i = 0; i < s.columns.size(); i++) {
                int place = i;
                all.add(new Node(
                        s.alias + "." + s.columns.get(i),
                        env -> env.row(s.alias).get(place)));
            }
        }
        return all;
    }

    private Node column(Scope scope, List<Source> sources) {
        Source s = sources.get(random.nextInt(sources.size()));
        int place = random.nextInt(s.columns.size());
        return new Node(
                named(scope, s.alias + "." + s.columns.get(place)),
                env -> env.row(s.alias).get(place));
    }

    /** A name without its input where that means the same, by chance. */
    private String named(Scope scope, String qualified) {
        String alias = qualified.substring(0, qualified.indexOf('.'));
        String bare = qualified.substring(qualified.indexOf('.') + 1);
        for (Scope s = scope; s != null; s = s.outer) {
            List<Source> have =
                    s.sources.stream().filter(o -> o.columns.contains(bare)).toList();
            if (!have.isEmpty()) {
                boolean same = have.size() == 1 && have.get(0).alias.equals(alias);
                return same && chance(60) ? bare : qualified;
            }
        }
        return qualified;
    }

    // ---- expressions

    private Node number(Scope scope, int depth) {
        int kind = random.nextInt(100);
        if (depth > 0 && kind < 18) {
            return scalar(scope, depth);
        }
        if (kind < 30) {
            long literal = random.nextInt(4);
            return new Node(String.valueOf(literal), env -> literal);
        }
        Scope from = scope;
        while (from.outer != null && (from.readable.isEmpty() || chance(35))) {
            from = from.outer;
        }
        if (from.readable.isEmpty()) {
            return new Node("1", env -> 1L);
        }
        Node column = from.readable.get(random.nextInt(from.readable.size()));
        return column.sql.contains(".") && !column.sql.contains(" ")
                ? new Node(named(scope, column.sql), column.value)
                : column;
    }

    private Node scalar(Scope scope, int depth) {
        Part part = chance(80) ? scalarGroup(scope, depth) : firstRow(scope, depth);
        return new Node("(" + part.sql + ")", env -> {
            List<List<Object>> rows = part.rows.apply(env);
            return rows.isEmpty() ? null : rows.get(0).get(0);
        });
    }

    private Part scalarGroup(Scope outer, int depth) {
        Part part;
        do {
            part = select(outer, depth - 1, 1, true);
        } while (part.sql.contains(" group by "));
        return part;
    }

    private Part firstRow(Scope outer, int depth) {
        Part part = plain(outer, depth);
        return new Part(
                part.sql + " order by 1 nulls first limit 1",
                1,
                env -> part.rows.apply(env).stream()
                        .sorted((x, y) -> compare(x.get(0), y.get(0)))
                        .limit(1)
                        .toList());
    }

    private Part plain(Scope outer, int depth) {
        return select(outer, depth - 1, 1, false);
    }

    private static int compare(Object a, Object b) {
        return a == null ? b == null ? 0 : -1 : b == null ? 1 : ((Long) a).compareTo((Long) b);
    }

    private static Node plus(Node a, Node b) {
        return new Node(a.sql + " + " + b.sql, env -> {
            Object x = a.value.apply(env);
            Object y = b.value.apply(env);
            return x == null || y == null ? null : (Object) ((Long) x + (Long) y);
        });
    }

    private Node condition(Scope scope, int depth) {
        int kind = random.nextInt(100);
        if (depth > 0 && kind < 45) {
            return inner(scope, depth);
        }
        if (kind < 60 && (depth > 0 || chance(20))) {
            return both(chance(50) ? "and" : "or", condition(scope, Math.max(0, depth - 1)), condition(scope, depth));
        }
        if (kind < 66) {
            Node value = number(scope, depth);
            return new Node(value.sql + " is null", env -> value.value.apply(env) == null);
        }
        return comparison(number(scope, 0), number(scope, depth));
    }

    private Node inner(Scope scope, int depth) {
        Part part = query(scope, depth - 1, 1);
        Node left = number(scope, 0);
        String op = List.of("=", "<", "<>", ">=").get(random.nextInt(4));
        return switch (random.nextInt(6)) {
            case 0 ->
                new Node(
                        "exists (" + part.sql + ")",
                        env -> !part.rows.apply(env).isEmpty());
            case 1 ->
                new Node(
                        "not exists (" + part.sql + ")",
                        env -> part.rows.apply(env).isEmpty());
            case 2 -> new Node(left.sql + " in (" + part.sql + ")", env -> any("=", left, part, env));
            case 3 -> new Node(left.sql + " not in (" + part.sql + ")", env -> not(any("=", left, part, env)));
            case 4 -> new Node(left.sql + " " + op + " any (" + part.sql + ")", env -> any(op, left, part, env));
            default -> new Node(left.sql + " " + op + " all (" + part.sql + ")", env -> all(op, left, part, env));
        };
    }

    private static Object any(String op, Node left, Part part, Env env) {
        boolean unknown = false;
        for (List<Object> row : part.rows.apply(env)) {
            Object is = compared(op, left.value.apply(env), row.get(0));
            if (Boolean.TRUE.equals(is)) {
                return true;
            }
            unknown |= is == null;
        }
        return unknown ? null : (Object) false;
    }

    private static Object all(String op, Node left, Part part, Env env) {
        boolean unknown = false;
        for (List<Object> row : part.rows.apply(env)) {
            Object is = compared(op, left.value.apply(env), row.get(0));
            if (Boolean.FALSE.equals(is)) {
                return false;
            }
            unknown |= is == null;
        }
        return unknown ? null : (Object) true;
    }

    private static Object not(Object value) {
        return value == null ? null : (Object) !(Boolean) value;
    }

    private static final Map<String, ToIntBiFunction<Long, Long>> OPERATORS = Map.of(
            "=", (a, b) -> a.equals(b) ? 1 : 0,
            "<>", (a, b) -> a.equals(b) ? 0 : 1,
            "<", (a, b) -> a < b ? 1 : 0,
            ">=", (a, b) -> a >= b ? 1 : 0);

    private static Object compared(String op, Object a, Object b) {
        return a == null || b == null ? null : (Object) (OPERATORS.get(op).applyAsInt((Long) a, (Long) b) == 1);
    }

    private Node comparison(Node a, Node b) {
        String op = chance(60) ? "=" : List.of("<", "<>", ">=").get(random.nextInt(3));
        return new Node(a.sql + " " + op + " " + b.sql, env -> compared(op, a.value.apply(env), b.value.apply(env)));
    }

    private static Node both(String word, Node a, Node b) {
        boolean deciding = word.equals("or");
        return new Node("(" + a.sql + " " + word + " " + b.sql + ")", env -> {
            Object x = a.value.apply(env);
            Object y = b.value.apply(env);
            if (Objects.equals(x, deciding) || Objects.equals(y, deciding)) {
                return deciding;
            }
            return x == null || y == null ? null : (Object) !deciding;
        });
    }

    /** Rows as text, sorted. */
    static List<String> sorted(List<List<Object>> rows) {
        return rows.stream()
                .map(r -> String.join(
                        ",", r.stream().map(v -> v == null ? "" : v.toString()).toList()))
                .sorted()
                .toList();
    }
}
