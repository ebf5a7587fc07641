package org.unimeros;

import java.io.Serializable;
import java.util.Arrays;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.unimeros.code.Scalar1;
import org.unimeros.code.Scalar2;
import org.unimeros.code.Scalar3;
import org.unimeros.code.TaskCode;
import org.unimeros.code.Vectorised;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.own.ValueCode;
import org.unimeros.engine.record.RecordShape;

/** A function of the job as part of an expression. */
record FunctionCode(OwnCode<Signature> function, String name) implements ValueCode {

    /**
     * The function as it travels.
     *
     * @param parameters what its arguments are read as
     */
    record Signature(TaskCode code, List<Class<?>> parameters, Class<?> result) implements Serializable {
        Signature {
            parameters = List.copyOf(parameters);
        }
    }

    static FunctionCode of(String name, TaskCode code, List<Class<?>> parameters, Class<?> result) {
        OwnCode.require(code, "the function " + name);
        return new FunctionCode(Travelling.of(new Signature(code, parameters, result), "the function " + name), name);
    }

    @Override
    public Running open(TaskScope scope, List<DataType> types) {
        Signature signature = function.open(Signature.class, scope.files());
        ScopeContext.taskBegins(signature.code, name, scope);
        return signature.code instanceof Vectorised v ? new OfBatch(v, name) : new OfRow(signature, name, types);
    }

    private record OfBatch(Vectorised code, String name) implements Running {
        @Override
        public Column apply(Column[] args, int rows, long[] nulls) {
            try {
                return code.apply(args, rows, nulls);
            } catch (Exception e) {
                throw OwnFailure.of(name, null, e);
            }
        }

        @Override
        public void close() {
            ScopeContext.taskEnds(code, name);
        }
    }

    private static final class OfRow implements Running {
        private final Signature signature;
        private final String name;
        private final RecordShape<Object> result;
        private final Object[] values;
        private final RecordShape.Reader<?>[] readers;

        @SuppressWarnings("unchecked")
        OfRow(Signature signature, String name, List<DataType> types) {
            this.signature = signature;
            this.name = name;
            this.result = (RecordShape<Object>) RecordShape.of(signature.result);
            this.values = new Object[types.size()];
            this.readers = new RecordShape.Reader<?>[types.size()];
            for (int i = 0; i < readers.length; i++) {
                Field argument = Field.of("argument " + (i + 1) + " of " + name, types.get(i));
                readers[i] = RecordShape.of(signature.parameters.get(i)).reader(new Schema(List.of(argument)));
            }
        }

        @Override
        public Column apply(Column[] args, int rows, long[] nulls) {
            for (int i = 0; i < args.length; i++) {
                readers[i].use(new Batch(rows, args[i]), 0);
            }
            BatchBuilder builder = new BatchBuilder(result.schema());
            for (int row = 0; row < rows; row++) {
                if (nulls != null && Bits.get(nulls, row)) {
                    builder.column(0).appendNull();
                } else {
                    result.append(builder, 0, value(row));
                }
                builder.endRow();
            }
            return builder.build().column(0);
        }

        @SuppressWarnings("unchecked")
        private Object value(int row) {
            for (int i = 0; i < values.length; i++) {
                values[i] = readers[i].read(row);
            }
            try {
                return switch (signature.code) {
                    case Scalar1<?, ?> f -> ((Scalar1<Object, Object>) f).apply(values[0]);
                    case Scalar2<?, ?, ?> f -> ((Scalar2<Object, Object, Object>) f).apply(values[0], values[1]);
                    case Scalar3<?, ?, ?, ?> f ->
                        ((Scalar3<Object, Object, Object, Object>) f).apply(values[0], values[1], values[2]);
                    default -> throw new IllegalStateException("not a function: " + signature.code);
                };
            } catch (Exception e) {
                String shown = Stream.of(values).map(String::valueOf).collect(Collectors.joining(", ", "(", ")"));
                throw new RowFailure(row, OwnFailure.of(name, shown, e).getMessage());
            }
        }

        @Override
        public void close() {
            Arrays.fill(values, null);
            ScopeContext.taskEnds(signature.code, name);
        }
    }
}
