package org.unimeros.storage.format.parquet;

import dev.hardwood.metadata.RepetitionType;
import dev.hardwood.reader.ColumnReader;
import dev.hardwood.reader.ColumnReaders;
import dev.hardwood.schema.FileSchema;
import dev.hardwood.schema.SchemaNode;
import dev.hardwood.schema.SchemaNode.GroupNode;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.StructColumn;

/**
 * Puts lists and structs together again from the columns that hold their values, by the repetition and definition levels
 * of the Dremel encoding: of the entries of a column, one begins a value inside {@code r} lists when its repetition level
 * is at most {@code r} and its definition level says that the innermost list has an element there.
 */
final class NestedColumn implements ParquetPieceReader.Source {

    /** What a field of the file makes. */
    private sealed interface Shape {
        /** The column of the file whose entries tell where values of this shape are null and how long lists are. */
        Leaf first();
    }

    private record Leaf(PrimitiveNode node, String path, DataType type) implements Shape {
        @Override
        public Leaf first() {
            return this;
        }
    }

    /** @param present the definition level from which on it is not null */
    private record StructShape(List<Shape> fields, int present) implements Shape {
        @Override
        public Leaf first() {
            return fields.get(0).first();
        }
    }

    /**
     * @param present the definition level from which on it is not null
     * @param filled the definition level from which on it has an element
     * @param depth the repetition level of its elements
     */
    private record ListShape(Shape element, int present, int filled, int depth) implements Shape {
        @Override
        public Leaf first() {
            return element.first();
        }
    }

    private final Shape shape;

    NestedColumn(SchemaNode field, DataType type, FileSchema schema) {
        this.shape = shape(field, type, schema);
    }

    private static Shape shape(SchemaNode node, DataType type, FileSchema schema) {
        if (node.repetitionType() == RepetitionType.REPEATED) {
            DataType element = ((DataType.ListOf) type).element();
            return new ListShape(once(node, element, schema), 0, node.maxDefinitionLevel(), node.maxRepetitionLevel());
        }
        return once(node, type, schema);
    }

    /** The shape of one value of a field that can be repeated. */
    private static Shape once(SchemaNode node, DataType type, FileSchema schema) {
        if (node instanceof PrimitiveNode primitive) {
            String path = String.join(
                    ".", schema.getColumn(primitive.columnIndex()).fieldPath().elements());
            return new Leaf(primitive, path, type);
        }
        GroupNode group = (GroupNode) node;
        if (type instanceof DataType.ListOf list) {
            SchemaNode repeated = group.children().get(0);
            SchemaNode element = group.isList() ? group.getListElement() : repeated;
            return new ListShape(
                    once(element, list.element(), schema),
                    group.maxDefinitionLevel(),
                    repeated.maxDefinitionLevel(),
                    repeated.maxRepetitionLevel());
        }
        List<Shape> fields = new ArrayList<>();
        List<DataType.Struct.Part> parts = ((DataType.Struct) type).parts();
        for (int i = 0; i < parts.size(); i++) {
            fields.add(shape(group.children().get(i), parts.get(i).type(), schema));
        }
        return new StructShape(fields, group.maxDefinitionLevel());
    }

    /** The values of the current batch of the readers. */
    Column read(ColumnReaders readers) {
        return column(shape, readers, 0, 0);
    }

    /**
     * @param depth how many lists are around the values
     * @param filled the definition level from which on the innermost of them has an element
     */
    private static Column column(Shape shape, ColumnReaders readers, int depth, int filled) {
        return switch (shape) {
            case Leaf leaf -> values(leaf, readers, depth, filled);
            case StructShape struct -> {
                Column[] fields = new Column[struct.fields.size()];
                for (int i = 0; i < fields.length; i++) {
                    fields[i] = column(struct.fields.get(i), readers, depth, filled);
                }
                Entries entries = new Entries(struct.first(), readers);
                int[] starts = entries.starts(depth, filled);
                yield new StructColumn(fields, entries.below(starts, struct.present));
            }
            case ListShape list -> {
                Entries entries = new Entries(list.first(), readers);
                int[] starts = entries.starts(depth, filled);
                int[] bounds = entries.bounds(starts, depth, list);
                Column elements = column(list.element, readers, list.depth, list.filled);
                yield ListColumn.packed(bounds, elements, bounds[starts.length], entries.below(starts, list.present));
            }
        };
    }

    /** The library gives a value, or a place for one, for each entry that begins a value of the innermost list. */
    private static Column values(Leaf leaf, ColumnReaders readers, int depth, int filled) {
        Entries entries = new Entries(leaf, readers);
        int[] starts = entries.starts(depth, filled);
        // A column with no optional or repeated field around it has no levels.
        ColumnReader reader = readers.getColumnReader(leaf.path);
        long[] nulls = reader.getDefinitionLevels() == null
                ? ParquetPieceReader.nullBits(reader.getLeafValidity(), starts.length)
                : entries.below(starts, leaf.node.maxDefinitionLevel());
        return LeafColumns.of(reader, leaf.node, leaf.type, starts.length, nulls);
    }

    /** The levels of a column of the file. */
    private static final class Entries {
        private final int size;
        private final int[] repetition;
        private final int[] definition;

        Entries(Leaf leaf, ColumnReaders readers) {
            ColumnReader reader = readers.getColumnReader(leaf.path);
            repetition = reader.getRepetitionLevels();
            definition = reader.getDefinitionLevels();
            size = definition == null ? reader.getRecordCount() : definition.length;
        }

        private int repetition(int entry) {
            return repetition == null ? 0 : repetition[entry];
        }

        /** Without optional fields on the way everything is there. */
        private int definition(int entry) {
            return definition == null ? 0 : definition[entry];
        }

        /** The entries that begin a value. */
        int[] starts(int depth, int filled) {
            int[] starts = new int[size];
            int n = 0;
            for (int i = 0; i < size; i++) {
                if (repetition(i) <= depth && definition(i) >= filled) {
                    starts[n++] = i;
                }
            }
            return Arrays.copyOf(starts, n);
        }

        /** The values whose first entry is below a definition level; null when there are none. */
        long[] below(int[] starts, int level) {
            long[] nulls = Bits.make(starts.length);
            for (int i = 0; i < starts.length; i++) {
                if (definition(starts[i]) < level) {
                    Bits.set(nulls, i);
                }
            }
            return Bits.any(nulls, starts.length) ? nulls : null;
        }

        /** Where the elements of each list begin and end. */
        int[] bounds(int[] starts, int depth, ListShape list) {
            int[] bounds = new int[starts.length + 1];
            for (int i = 0; i < starts.length; i++) {
                int n = 0;
                int at = starts[i];
                do {
                    n += repetition(at) <= list.depth && definition(at) >= list.filled ? 1 : 0;
                    at++;
                } while (at < size && repetition(at) > depth);
                bounds[i + 1] = bounds[i] + n;
            }
            return bounds;
        }
    }
}
