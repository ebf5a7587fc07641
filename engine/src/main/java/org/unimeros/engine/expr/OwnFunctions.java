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
import java.util.stream.Stream;
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

        private String usage() {
            return name + parameters().map(DataType::toString).collect(Collectors.joining(", ", "(", ")"));
        }

        private Stream<DataType> parameters() {
            return argument.schema().fields().stream().map(Field::type);
        }

        private Aggregate of(Aggregates.Call call) {
            if (!call.order().isEmpty()) {
                throw new UserMistake("the aggregate " + name + " of this job takes its values in no order; order rows"
                        + " by a window, or collect them with list_agg");
            }
            Expression value = Aggregates.limited(value(call.arguments()), call);
            return new Aggregate(
                    Aggregate.Kind.OWN,
                    List.of(value),
                    List.of(),
                    List.of(),
                    call.distinct(),
                    result,
                    Optional.of(new Aggregate.Own(name, code)));
        }

        private Expression value(List<Expression> args) {
            boolean whole = args.size() == 1 && args.get(0).type() instanceof DataType.Struct;
            if (whole && argument.isRecord()) {
                DataType.Struct struct = (DataType.Struct) args.get(0).type();
                argument.columnsIn(new Schema(struct.parts().stream()
                        .map(part -> Field.of(part.name(), part.type()))
                        .toList()));
                return args.get(0);
            }
            List<DataType> wanted = parameters().toList();
            if (args.size() != wanted.size()) {
                throw new UserMistake("the aggregate " + name + " is called as " + usage() + ", but found "
                        + args.size() + (args.size() == 1 ? " argument" : " arguments"));
            }
            List<Expression> fitting = IntStream.range(0, args.size())
                    .mapToObj(i -> coerced(usage(), wanted.get(i), args.get(i), i))
                    .toList();
            return argument.isRecord() ? together(fitting) : fitting.get(0);
        }

        /** Several arguments as a struct, which is null where one of them is. */
        private Expression together(List<Expression> args) {
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
        if (all.containsKey(key) || aggregates.containsKey(key)) {
            throw new UserMistake("the function " + key + " is defined twice");
        }
    }

    boolean isAggregate(String name) {
        return aggregates.containsKey(key(name));
    }

    Aggregate aggregate(Aggregates.Call call) {
        return aggregates.get(key(call.name())).of(call);
    }

    /** The call of a function; empty when there is none of the name. */
    public Optional<Expression> call(String name, List<Expression> args) {
        Defined function = all.get(name.toLowerCase(Locale.ROOT));
        return function == null ? Optional.empty() : Optional.of(function.call(args));
    }

    public Collection<String> names() {
        return all.keySet();
    }
}
