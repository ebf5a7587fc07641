package org.unimeros;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.code.ToRows;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.own.ValueCode;
import org.unimeros.engine.record.RecordShape;

/** A function of the job that makes rows: a list of them for each row that it is called for. */
record RowsCode(OwnCode<Definition> code, String name) implements ValueCode {

    /** The function as it travels. */
    record Definition(ToRows<?, ?> code, Class<?> argument, Class<?> row) implements Serializable {}

    static RowsCode of(String name, ToRows<?, ?> code, Class<?> argument, Class<?> row) {
        OwnCode.require(code, "the function " + name);
        return new RowsCode(Travelling.of(new Definition(code, argument, row), "the function " + name), name);
    }

    @Override
    public Running open(TaskScope scope, List<DataType> types) {
        Definition definition = code.open(Definition.class, scope.files());
        ScopeContext.taskBegins(definition.code, name, scope);
        return new Opened(definition, name, types.get(0));
    }

    private static final class Opened implements Running {
        private final ToRows<Object, Object> code;
        private final String name;
        private final ObjectColumns arguments;
        private final RecordShape<Object> shape;

        @SuppressWarnings("unchecked")
        Opened(Definition definition, String name, DataType argument) {
            this.code = (ToRows<Object, Object>) definition.code;
            this.name = name;
            this.arguments = new ObjectColumns(definition.argument, argument, "the argument of " + name);
            this.shape = (RecordShape<Object>) RecordShape.of(definition.row);
        }

        @Override
        public Column apply(Column[] args, int rows, long[] nulls) {
            arguments.use(args[0], rows);
            List<Object> made = new ArrayList<>();
            int[] bounds = new int[rows + 1];
            for (int row = 0; row < rows; row++) {
                if (nulls == null || !Bits.get(nulls, row)) {
                    make(row, made);
                }
                bounds[row + 1] = made.size();
            }
            return ListColumn.packed(bounds, ObjectColumns.of(shape, made.toArray(), made.size()), made.size(), nulls);
        }

        private void make(int row, List<Object> made) {
            Object argument = arguments.read(row);
            try {
                code.apply(argument, one -> {
                    if (one == null) {
                        throw new UserMistake("the function " + name + " made a row that is null; leave it out");
                    }
                    made.add(one);
                });
            } catch (Exception e) {
                throw new RowFailure(
                        row, OwnFailure.of(name, "(" + argument + ")", e).getMessage());
            }
        }

        @Override
        public void close() {
            ScopeContext.taskEnds(code, name);
        }
    }
}
