package org.unimeros.cluster.wire;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InvalidClassException;
import java.io.NotSerializableException;
import java.io.ObjectInputFilter;
import java.io.ObjectInputStream;
import java.io.ObjectOutputStream;
import java.io.OutputStream;
import java.io.Serializable;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.zip.CRC32C;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.spill.Blocks;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.Format;

/**
 * Plans, and what is told of tasks, as bytes behind a checksum. They are written by the serialisation of the platform, since a resolved
 * expression holds code; what is read back is confined to the classes of plans and the value types in them, and is limited in size and
 * depth. Both sides must run the same version, which they compare when they meet.
 */
public final class PlanCodec {

    private static final long MOST_BYTES = 256L << 20;
    private static final long MOST_REFERENCES = 50_000_000;
    private static final int SUM_BYTES = 4;
    private static final int MOST_DEPTH = 2_000;

    /** What plans are made of; classes of the engine and of storage beside these. */
    private static final Set<String> VALUES = Set.of(
            "java.lang.Boolean",
            "java.lang.Byte",
            "java.lang.Character",
            "java.lang.Double",
            "java.lang.Enum",
            "java.lang.Float",
            "java.lang.Integer",
            "java.lang.Long",
            "java.lang.Number",
            "java.lang.Object",
            "java.lang.Record",
            "java.lang.Short",
            "java.lang.String",
            "java.lang.invoke.SerializedLambda",
            "java.math.BigDecimal",
            "java.math.BigInteger",
            "java.math.RoundingMode",
            "java.time.Ser",
            "java.util.AbstractCollection",
            "java.util.AbstractList",
            "java.util.AbstractMap",
            "java.util.ArrayList",
            "java.util.Arrays$ArrayList",
            "java.util.BitSet",
            "java.util.CollSer",
            "java.util.Collections$UnmodifiableCollection",
            "java.util.Collections$UnmodifiableList",
            "java.util.Collections$UnmodifiableMap",
            "java.util.Collections$UnmodifiableRandomAccessList",
            "java.util.HashMap",
            "java.util.LinkedHashMap",
            "java.util.Map",
            "java.util.Map$Entry",
            "java.util.Optional",
            "java.util.OptionalLong",
            "java.util.TreeMap",
            "java.util.regex.Pattern");

    /** Beginnings of names; the platform asks again for what a replaced form becomes, such as an unmodifiable list. */
    private static final String[] BEGINNINGS = {
        "org.unimeros.engine.",
        "org.unimeros.storage.",
        "org.unimeros.RecordCode",
        "org.unimeros.ReduceCode",
        "org.unimeros.FunctionCode",
        "org.unimeros.AggregatorCode",
        "org.unimeros.RowsCode",
        "org.unimeros.FormatCode",
        "org.unimeros.cluster.files.FileRef",
        "org.unimeros.cluster.wire.PlanCodec$",
        "org.unimeros.cluster.wire.RunPlan",
        "org.unimeros.cluster.wire.StageOutputs",
        "org.unimeros.cluster.wire.TaskReport",
        "java.time.",
        "java.util.ImmutableCollections$"
    };

    private static final Formats FORMATS = new Formats();

    private PlanCodec() {}

    /** The classes of the job's own functions in a plan. */
    public static Set<Class<?>> ownClasses(Object plan) {
        Set<Class<?>> classes = new LinkedHashSet<>();
        try (Writer out = new Writer(OutputStream.nullOutputStream(), classes)) {
            out.writeObject(plan);
        } catch (IOException e) {
            throw new UserMistake("the job holds what cannot be sent to workers: " + e.getMessage(), e);
        }
        return classes;
    }

    /**
     * The bytes of a plan, or of a message about tasks.
     *
     * @throws UserMistake when something in it cannot travel, with its class
     */
    public static byte[] write(Object object) {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (Writer out = new Writer(bytes, new HashSet<>())) {
            out.writeObject(object);
        } catch (NotSerializableException e) {
            throw new UserMistake(
                    "the job holds a " + e.getMessage() + ", which cannot be sent to workers; run it in this process",
                    e);
        } catch (IOException e) {
            throw new InternalFault("cannot write a plan: " + e.getMessage(), e);
        }
        byte[] plain = bytes.toByteArray();
        return ByteBuffer.allocate(SUM_BYTES + plain.length)
                .putInt(sum(plain, 0))
                .put(plain)
                .array();
    }

    private static int sum(byte[] bytes, int from) {
        CRC32C sum = new CRC32C();
        sum.update(bytes, from, bytes.length - from);
        return (int) sum.getValue();
    }

    /**
     * What {@link #write} wrote.
     *
     * @throws ResourceFailure when it is damaged, of another version, or holds what plans are not made of
     */
    public static <T> T read(byte[] bytes, Class<T> type) {
        if (bytes.length > MOST_BYTES) {
            throw new ResourceFailure("a plan of " + bytes.length + " bytes is too large");
        }
        if (bytes.length < SUM_BYTES || ByteBuffer.wrap(bytes).getInt() != sum(bytes, SUM_BYTES)) {
            throw new ResourceFailure("a message of another process came damaged");
        }
        Filter filter = new Filter();
        try (ObjectInputStream in =
                new ObjectInputStream(new ByteArrayInputStream(bytes, SUM_BYTES, bytes.length - SUM_BYTES))) {
            in.setObjectInputFilter(filter);
            return type.cast(in.readObject());
        } catch (InvalidClassException e) {
            String what = filter.refused == null ? e.getMessage() : "it holds " + filter.refused;
            throw new ResourceFailure("a message of another process was refused: " + what, e);
        } catch (IOException | ClassNotFoundException | RuntimeException | LinkageError | VirtualMachineError e) {
            throw new ResourceFailure(
                    "a message of another process cannot be read; do all run the same version? (" + e + ")", e);
        }
    }

    private static final class Filter implements ObjectInputFilter {
        private String refused;

        @Override
        public Status checkInput(FilterInfo info) {
            boolean tooLarge = info.depth() > MOST_DEPTH
                    || info.references() > MOST_REFERENCES
                    || info.streamBytes() > MOST_BYTES
                    || info.arrayLength() > MOST_BYTES;
            if (tooLarge) {
                refused = "too much";
                return Status.REJECTED;
            }
            Class<?> type = info.serialClass();
            while (type != null && type.isArray()) {
                type = type.getComponentType();
            }
            if (type == null || type.isPrimitive() || Path.class.isAssignableFrom(type) || isAllowed(type.getName())) {
                return Status.ALLOWED;
            }
            refused = type.getName();
            return Status.REJECTED;
        }

        private static boolean isAllowed(String name) {
            for (String start : BEGINNINGS) {
                if (name.startsWith(start)) {
                    return true;
                }
            }
            return VALUES.contains(name);
        }
    }

    /** Gives what the platform does not write a form of its own. */
    private static final class Writer extends ObjectOutputStream {
        private final Set<Class<?>> own;

        Writer(OutputStream out, Set<Class<?>> own) throws IOException {
            super(out);
            this.own = own;
            enableReplaceObject(true);
        }

        @Override
        protected Object replaceObject(Object object) {
            return switch (object) {
                case Batch batch -> new BatchForm(Blocks.encode(batch.dense()));
                case Path path -> new PathForm(path.toAbsolutePath().normalize().toString());
                case Optional<?> optional -> new OptionalForm(optional.orElse(null));
                case OptionalLong optional -> new OptionalLongForm(optional.isPresent(), optional.orElse(0));
                case OwnCode<?> code -> {
                    own.addAll(code.classes());
                    yield code;
                }
                case Format format -> format instanceof Serializable ? format : new FormatForm(format.name());
                default -> object;
            };
        }
    }

    private record BatchForm(byte[] block) implements Serializable {
        private Object readResolve() {
            return Blocks.decode(block, block.length);
        }
    }

    /** Paths are absolute on the way, since every process has a folder of its own. */
    private record PathForm(String path) implements Serializable {
        private Object readResolve() {
            return Path.of(path);
        }
    }

    private record OptionalForm(Object value) implements Serializable {
        private Object readResolve() {
            return Optional.ofNullable(value);
        }
    }

    private record OptionalLongForm(boolean isPresent, long value) implements Serializable {
        private Object readResolve() {
            return isPresent ? OptionalLong.of(value) : OptionalLong.empty();
        }
    }

    private record FormatForm(String name) implements Serializable {
        private Object readResolve() {
            return FORMATS.byName(name);
        }
    }
}
