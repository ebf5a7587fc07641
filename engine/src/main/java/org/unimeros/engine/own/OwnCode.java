package org.unimeros.engine.own;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InvalidClassException;
import java.io.ObjectInputFilter;
import java.io.ObjectInputStream;
import java.io.ObjectOutputStream;
import java.io.ObjectStreamClass;
import java.io.OutputStream;
import java.io.Serializable;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Set;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/**
 * A function of a job as it travels: the bytes of an object, with the values that it captures, from which every attempt of every task
 * makes an object of its own. What is read back is confined to the classes of the job and the value types of the platform
 * ({@link Travels}). Immutable, but for the loader that the process where it was described knows.
 *
 * @param <T> the interface that the object is used by
 */
public final class OwnCode<T> implements Serializable {

    private static final long serialVersionUID = 1;
    private static final long MOST_BYTES = 256L << 20;

    private final byte[] bytes;
    private final String what;
    /** By name, where it was described; null elsewhere, where the attempt brings a loader. */
    private final transient Map<String, Class<?>> classes;

    private OwnCode(byte[] bytes, String what, Map<String, Class<?>> classes) {
        this.bytes = bytes;
        this.what = what;
        this.classes = classes;
    }

    /**
     * Takes a function as it is now; later changes of it do not count.
     *
     * @param what what it is, for messages: "the mapper"
     * @throws UserMistake when it holds something that cannot travel, naming the field
     */
    public static <T extends Serializable> OwnCode<T> of(T function, String what) {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        Map<String, Class<?>> classes = new LinkedHashMap<>();
        try (Writer out = new Writer(bytes, classes)) {
            out.writeObject(function);
        } catch (IOException e) {
            throw new UserMistake(what + " cannot be sent to workers: " + Travels.why(function, e), e);
        }
        for (Class<?> used : classes.values()) {
            if (!Travels.mayTravel(used)) {
                throw new UserMistake(
                        what + " cannot be sent to workers: it holds a " + used.getName() + Travels.ADVICE);
            }
            refuseOldNames(what, used);
        }
        return new OwnCode<>(bytes.toByteArray(), what, classes);
    }

    /** What nobody calls any more would be left out in silence. */
    private static void refuseOldNames(String what, Class<?> used) {
        for (Method method : used.getDeclaredMethods()) {
            Class<?>[] parameters = method.getParameterTypes();
            boolean takesContext =
                    parameters.length == 1 && parameters[0].getSimpleName().equals("TaskContext");
            String now = method.getName().equals("setUp") && takesContext
                    ? "taskBegins"
                    : method.getName().equals("cleanUp") && parameters.length == 0
                            ? "taskEnds"
                            : method.getName().equals("isSplittable") && parameters.length == 0 ? "canBeCut" : "";
            if (!now.isEmpty()) {
                throw new UserMistake(what + ": " + used.getName() + " has a method " + method.getName()
                        + ", which is called " + now + " and under its old name never; rename it");
            }
        }
    }

    /**
     * Does nothing with a function that can travel.
     *
     * @throws UserMistake when it is null or holds something that cannot travel, naming the field
     */
    public static void require(Serializable function, String what) {
        if (function == null) {
            throw new UserMistake("there is no function where " + what + " is expected");
        }
        of(function, what);
    }

    /** The classes of the object and of all that it holds; empty where it was not described. */
    public Set<Class<?>> classes() {
        return classes == null ? Set.of() : Set.copyOf(classes.values());
    }

    /**
     * A new object.
     *
     * @param type the interface that it is used by
     * @param files finds the classes of the job, and what its functions share
     * @throws ResourceFailure when a class is not there, or is none that may travel
     */
    public T open(Class<T> type, JobFiles files) {
        Confined filter = new Confined();
        try (ObjectInputStream in = new Reader(bytes, classes == null ? Map.of() : classes, files)) {
            in.setObjectInputFilter(filter);
            return type.cast(in.readObject());
        } catch (ClassNotFoundException e) {
            throw new ResourceFailure(
                    what + " needs the class " + e.getMessage() + ", which workers do not have; attach its jar", e);
        } catch (InvalidClassException e) {
            String reason = filter.refused == null ? e.getMessage() : "it holds a " + filter.refused;
            throw new ResourceFailure(what + " was refused: " + reason, e);
        } catch (IOException | RuntimeException | LinkageError e) {
            throw new ResourceFailure(what + " cannot be read: " + e, e);
        }
    }

    /** Notes which classes the object is made of. */
    private static final class Writer extends ObjectOutputStream {
        private final Map<String, Class<?>> classes;

        Writer(OutputStream out, Map<String, Class<?>> classes) throws IOException {
            super(out);
            this.classes = classes;
        }

        @Override
        protected void annotateClass(Class<?> type) {
            Class<?> element = type;
            while (element.isArray()) {
                element = element.getComponentType();
            }
            if (!element.isPrimitive()) {
                classes.put(element.getName(), element);
            }
        }
    }

    private static final class Reader extends ObjectInputStream {
        private final Map<String, Class<?>> known;
        private final JobFiles files;
        private final ClassLoader loader;

        Reader(byte[] bytes, Map<String, Class<?>> known, JobFiles files) throws IOException {
            super(new ByteArrayInputStream(bytes));
            this.files = files;
            ClassLoader ofJob = classesOf(known, files);
            this.known = known;
            this.loader = ofJob == null ? OwnCode.class.getClassLoader() : ofJob;
            enableResolveObject(true);
        }

        /** Where the code was described all classes are known, and files that would have to be fetched are not asked for. */
        private static ClassLoader classesOf(Map<String, Class<?>> known, JobFiles files) {
            return known.isEmpty() ? files.loader() : null;
        }

        @Override
        protected Object resolveObject(Object object) {
            return object instanceof Shareable shared ? files.shared(shared.key(), shared::open) : object;
        }

        @Override
        protected Class<?> resolveClass(ObjectStreamClass described) throws IOException, ClassNotFoundException {
            Class<?> own = known.get(described.getName());
            if (own != null) {
                return own;
            }
            try {
                return Class.forName(described.getName(), false, loader);
            } catch (ClassNotFoundException e) {
                return super.resolveClass(described);
            }
        }

        @Override
        protected Class<?> resolveProxyClass(String[] interfaces) throws InvalidClassException {
            throw new InvalidClassException(Proxy.class.getName(), "proxies do not travel");
        }
    }

    private static final class Confined implements ObjectInputFilter {
        private String refused;

        @Override
        public Status checkInput(FilterInfo info) {
            Class<?> type = info.serialClass();
            while (type != null && type.isArray()) {
                type = type.getComponentType();
            }
            boolean fits = info.streamBytes() <= MOST_BYTES && info.arrayLength() <= MOST_BYTES;
            if (fits && (type == null || type.isPrimitive() || Travels.mayTravel(type))) {
                return Status.ALLOWED;
            }
            refused = type == null ? "value that is too large" : type.getName();
            return Status.REJECTED;
        }
    }
}
