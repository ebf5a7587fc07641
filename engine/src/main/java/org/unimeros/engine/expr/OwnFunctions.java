package org.unimeros.engine.expr;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.AggregateCode;
import org.unimeros.engine.own.ValueCode;
import org.unimeros.engine.record.RecordShape;

/** Functions of a job that its expressions call by name. Thread-safe. */
public final class OwnFunctions {

    private final Map<String, Defined> all = new ConcurrentSkipListMap<>();
    private final Map<String, Aggregated> aggregates = new ConcurrentSkipListMap<>();
    private final Map<String, Tabular> tables = new ConcurrentSkipListMap<>();

    /**
     * A function.
     *
     * @param parameters what its arguments are read as
     * @param strict whether the result is null where an argument is
     * @param exact whether arguments must have just the types of the parameters, else any that can be read as these
     */
    public record Defined(
            String name,
            List<RecordShape<?>> parameters,
            DataType result,
            boolean strict,
            boolean exact,
            ValueCode code) {
        public Defined {
            parameters = List.copyOf(parameters);
        }

        /** How it is called. */
        String usage() {
            return name + parameters.stream().map(p -> p.made().toString()).collect(Collectors.joining(", ", "(", ")"));
        }

        private Expression call(List<Expression> args) {
            if (args.size() != parameters.size()) {
                throw new UserMistake("function " + name + " is called as " + usage() + ", but found " + args.size()
                        + (args.size() == 1 ? " argument" : " arguments"));
            }
            List<Expression> fitting = IntStream.range(0, args.size())
                    .mapToObj(i -> fitting(usage(), parameters.get(i), args.get(i), i, exact))
                    .toList();
            ScalarFunction function =
                    new ScalarFunction(name, ScalarFunction.Style.CALL, strict, true, kernel(fitting));
            return new Expression.Call(function, fitting, result);
        }

        private OwnKernel kernel(List<Expression> args) {
            return new OwnKernel(
                    code, strict, args.stream().map(Expression::type).toList());
        }
    }

    /**
     * An aggregate.
     *
     * @param argument what its values are read as; of a record with several components, the aggregate has as many arguments
     */
    public record Aggregated(String name, RecordShape<?> argument, DataType result, AggregateCode code) {

        private Aggregate of(Aggregates.Call call) {
            if (!call.order().isEmpty()) {
                throw new UserMistake("the aggregate " + name + " of this job takes its values in no order; order rows"
                        + " by a window, or collect them with list_agg");
            }
            Expression value = Aggregates.limited(packed(name, argument, call.arguments()), call);
            return new Aggregate(
                    Aggregate.Kind.OWN,
                    List.of(value),
                    List.of(),
                    List.of(),
                    call.distinct(),
                    result,
                    Optional.of(new Aggregate.Own(name, code)));
        }
    }

    /**
     * A function that makes rows.
     *
     * @param argument what it is called with; of a record with several components, it has as many arguments
     * @param row the type of a row
     * @param code makes a list of rows, null where the argument is
     */
    public record Tabular(String name, RecordShape<?> argument, DataType row, ValueCode code) {

        private Expression of(List<Expression> args) {
            Expression value = packed(name, argument, args);
            ScalarFunction function = new ScalarFunction(
                    name, ScalarFunction.Style.CALL, true, true, new OwnKernel(code, true, List.of(value.type())));
            return new Expression.Call(function, List.of(value), new DataType.ListOf(row));
        }
    }

    /** The arguments of a call as one value: several of them, or those of a record, are a struct that is null where one of them is. */
    private static Expression packed(String name, RecordShape<?> argument, List<Expression> args) {
        if (argument.isRecord() && args.size() == 1 && args.get(0).type() instanceof DataType.Struct struct) {
            argument.columnsIn(new Schema(struct.parts().stream()
                    .map(part -> Field.of(part.name(), part.type()))
                    .toList()));
            return args.get(0);
        }
        List<DataType> wanted =
                argument.schema().fields().stream().map(Field::type).toList();
        String usage = name + wanted.stream().map(DataType::toString).collect(Collectors.joining(", ", "(", ")"));
        if (args.size() != wanted.size()) {
            throw new UserMistake("function " + name + " is called as " + usage + ", but found " + args.size()
                    + (args.size() == 1 ? " argument" : " arguments"));
        }
        List<Expression> fitting = IntStream.range(0, args.size())
                .mapToObj(i -> coerced(usage, wanted.get(i), args.get(i), i))
                .toList();
        return argument.isRecord() ? together(argument, fitting) : fitting.get(0);
    }

    private static Expression together(RecordShape<?> argument, List<Expression> args) {
        List<Expression> parts = new ArrayList<>();
        List<Expression> present = new ArrayList<>();
        for (int i = 0; i < args.size(); i++) {
            parts.add(new Expression.Literal(argument.schema().field(i).name(), DataType.TEXT));
            parts.add(args.get(i));
            present.add(new Expression.Not(new Expression.IsNull(args.get(i))));
        }
        Expression struct = Functions.call("struct", parts);
        return Operators.choose(
                List.of(new Expression.Case.Branch(Operators.and(present), struct)),
                new Expression.Literal(null, struct.type()));
    }

    private static Expression fitting(String usage, RecordShape<?> parameter, Expression arg, int i, boolean exact) {
        boolean fits = exact ? arg.type().equals(parameter.made()) : parameter.reads(arg.type());
        return fits ? arg : coerced(usage, parameter.made(), arg, i);
    }

    /** An argument in the type that is wanted, where numbers widen to it. */
    private static Expression coerced(String usage, DataType wanted, Expression arg, int i) {
        boolean widens = arg.type().equals(wanted)
                || arg.type() == DataType.NULL
                || arg.type().isNumeric() && wanted.isNumeric() && !narrows(arg.type(), wanted);
        if (widens) {
            return Types.coerce(arg, wanted);
        }
        String name = usage.substring(0, usage.indexOf('('));
        throw new UserMistake("function " + name + " is called as " + usage + ", but argument " + (i + 1) + ", " + arg
                + ", is " + arg.type() + "; cast it");
    }

    private static boolean narrows(DataType from, DataType to) {
        boolean toWhole = to == DataType.INT || to == DataType.LONG;
        return toWhole && from != DataType.INT || to == DataType.FLOAT;
    }

    /** A kernel that every task opens for itself. */
    record OwnKernel(ValueCode code, boolean strict, List<DataType> types) implements ScalarFunction.Kernel {
        @Override
        public Column apply(Column[] args, int rows, long[] nulls) {
            throw new IllegalStateException("own code runs in tasks only");
        }
    }

    /**
     * Defines a function.
     *
     * @throws UserMistake when the name is none, or is taken
     */
    public void define(Defined function) {
        require(function.name);
        if (all.putIfAbsent(key(function.name), function) != null) {
            throw new UserMistake("the function " + key(function.name) + " is defined twice");
        }
    }

    /**
     * Defines an aggregate.
     *
     * @throws UserMistake when the name is none, or is taken
     */
    public void define(Aggregated aggregate) {
        require(aggregate.name);
        if (aggregates.putIfAbsent(key(aggregate.name), aggregate) != null) {
            throw new UserMistake("the aggregate " + key(aggregate.name) + " is defined twice");
        }
    }

    /**
     * Defines a function that makes rows.
     *
     * @throws UserMistake when the name is none, or is taken
     */
    public void define(Tabular function) {
        require(function.name);
        if (tables.putIfAbsent(key(function.name), function) != null) {
            throw new UserMistake("the function " + key(function.name) + " is defined twice");
        }
    }

    private static String key(String name) {
        return name.toLowerCase(Locale.ROOT);
    }

    private void require(String name) {
        String key = key(name);
        if (!key.matches("[a-z][a-z0-9_]*")) {
            throw new UserMistake("a function cannot be called " + name
                    + "; a name is letters, digits and underscores, a letter first");
        }
        if (Functions.isName(key) || Aggregates.isName(key)) {
            throw new UserMistake("there is a function " + key + " already; `unimeros functions` lists all");
        }
        if (key.equals("unnest") || all.containsKey(key) || aggregates.containsKey(key) || tables.containsKey(key)) {
            throw new UserMistake("the function " + key + " is defined twice");
        }
    }

    /** The list of the rows that a function makes; empty when there is none of the name. */
    public Optional<Expression> rows(String name, List<Expression> args) {
        return Optional.ofNullable(tables.get(key(name))).map(function -> function.of(args));
    }

    boolean isAggregate(String name) {
        return aggregates.containsKey(key(name));
    }

    Aggregate aggregate(Aggregates.Call call) {
        return aggregates.get(key(call.name())).of(call);
    }

    /** The call of a function; empty when there is none of the name. */
    public Optional<Expression> call(String name, List<Expression> args) {
        if (tables.containsKey(key(name))) {
            throw new UserMistake(
                    "the function " + name + " makes rows; write it in from: from rows, " + name + "(value) as r");
        }
        Defined function = all.get(key(name));
        return function == null ? Optional.empty() : Optional.of(function.call(args));
    }

    public Collection<String> names() {
        return all.keySet();
    }
}
