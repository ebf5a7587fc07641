package org.unimeros.engine.expr;

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
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.ValueCode;
import org.unimeros.engine.record.RecordShape;

/** Functions of a job that its expressions call by name. Thread-safe. */
public final class OwnFunctions {

    private final Map<String, Defined> all = new ConcurrentSkipListMap<>();

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
                    .mapToObj(i -> fitting(args.get(i), i))
                    .toList();
            ScalarFunction function =
                    new ScalarFunction(name, ScalarFunction.Style.CALL, strict, true, kernel(fitting));
            return new Expression.Call(function, fitting, result);
        }

        private OwnKernel kernel(List<Expression> args) {
            return new OwnKernel(
                    code, strict, args.stream().map(Expression::type).toList());
        }

        private Expression fitting(Expression arg, int i) {
            DataType wanted = parameters.get(i).made();
            boolean fits = exact ? arg.type().equals(wanted) : parameters.get(i).reads(arg.type());
            if (fits) {
                return arg;
            }
            boolean widens = arg.type() == DataType.NULL
                    || arg.type().isNumeric() && wanted.isNumeric() && !narrows(arg.type(), wanted);
            if (widens) {
                return Types.coerce(arg, wanted);
            }
            throw new UserMistake("function " + name + " is called as " + usage() + ", but argument " + (i + 1) + ", "
                    + arg + ", is " + arg.type() + "; cast it");
        }

        private static boolean narrows(DataType from, DataType to) {
            boolean toWhole = to == DataType.INT || to == DataType.LONG;
            return toWhole && from != DataType.INT || to == DataType.FLOAT;
        }
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
        String key = function.name.toLowerCase(Locale.ROOT);
        if (!key.matches("[a-z][a-z0-9_]*")) {
            throw new UserMistake("a function cannot be called " + function.name
                    + "; a name is letters, digits and underscores, a letter first");
        }
        if (Functions.isName(key) || Aggregates.isName(key)) {
            throw new UserMistake("there is a function " + key + " already; `unimeros functions` lists all");
        }
        if (all.putIfAbsent(key, function) != null) {
            throw new UserMistake("the function " + key + " is defined twice");
        }
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
