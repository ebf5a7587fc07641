package org.unimeros;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.ServiceLoader;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.UnaryOperator;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.code.Aggregator;
import org.unimeros.code.Lookup;
import org.unimeros.code.RecordFormat;
import org.unimeros.code.Scalar1;
import org.unimeros.code.Scalar2;
import org.unimeros.code.Scalar3;
import org.unimeros.code.TaskCode;
import org.unimeros.code.ToRows;
import org.unimeros.code.Vectorised;
import org.unimeros.engine.expr.OwnFunctions;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.record.RecordShape;
import org.unimeros.engine.run.ProcessHeld;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.sql.SqlExpressions;
import org.unimeros.sql.SqlParameters;
import org.unimeros.sql.SqlQuery;
import org.unimeros.sql.Tables;
import org.unimeros.storage.dataset.Catalog;
import org.unimeros.storage.dataset.Dataset;
import org.unimeros.storage.dataset.DatasetSpec;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.Format;

/**
 * What a program opens to work with datasets. An engine can be used by several threads; each result that is asked for
 * is a run of its own.
 */
public final class Engine implements AutoCloseable {

    private static final long CLOSE_NANOS = 10_000_000_000L;
    private static final long CLOSE_PAUSE_MILLIS = 20;

    private final Settings settings;
    private final Catalog catalog;
    private final ProcessSpace space;
    private final Formats formats = new Formats(Engine::formatsOfJob);
    private final List<RunListener> listeners = new CopyOnWriteArrayList<>();
    private final List<Execution> active = new CopyOnWriteArrayList<>();
    private final List<Held> held = new CopyOnWriteArrayList<>();
    private final ProcessHeld localHeld = new ProcessHeld();
    private final Optional<Cluster> cluster;
    private final Attachments attachments;
    private final OwnFunctions functions = new OwnFunctions();
    private final SqlExpressions expressions = new SqlExpressions(functions);
    private final KeptRuns runs;
    private volatile boolean closed;

    private Engine(Settings settings, Catalog catalog, Optional<Cluster> cluster) {
        this.settings = settings;
        this.catalog = catalog;
        this.cluster = cluster;
        this.attachments = new Attachments(Path.of(settings.get(Setting.MEMORY_SCRATCH.name())));
        String attached = settings.get(Setting.JOB_ATTACHED.name());
        if (!attached.isEmpty()) {
            attachments.addFrom(Path.of(attached));
        }
        RunSettings shared = settings.forRuns();
        this.space = new ProcessSpace(shared.memoryBytes(), shared.slots());
        this.runs = new KeptRuns(settings);
    }

    /**
     * Where browsers of this machine see its runs, while it is open; whoever knows the address can see them. Empty without the setting {@code
     * page.port}.
     */
    public Optional<String> page() {
        return runs.page();
    }

    /** An engine in this process; settings come from environment variables where they are set. */
    public static Engine local() {
        return local(Settings.defaults().withEnvironment(System.getenv()));
    }

    /** An engine in this process. */
    public static Engine local(Settings settings) {
        return new Engine(settings, Catalog.empty(), Optional.empty());
    }

    /**
     * An engine in this process that knows datasets by name.
     *
     * @param data a folder whose sub-folders and files are datasets, with a {@code datasets.yaml} or without; or such a
     *     file itself
     */
    public static Engine local(Settings settings, Path data) {
        return new Engine(settings, catalog(data), Optional.empty());
    }

    /** An engine whose jobs run on worker processes of this machine, which are started with the first of them and end with it. */
    public static Engine localWorkers(int workers) {
        return localWorkers(workers, Settings.defaults().withEnvironment(System.getenv()));
    }

    /** The same with settings; {@code slots} is what each worker has. */
    public static Engine localWorkers(int workers, Settings settings) {
        return open(
                settings.with(Setting.COORDINATOR.name(), "").with(Setting.WORKERS.name(), String.valueOf(workers)));
    }

    /** An engine whose jobs run on the workers of a coordinator, such as {@code http://depot-3:7420}. */
    public static Engine connect(String coordinator) {
        return connect(coordinator, Settings.defaults().withEnvironment(System.getenv()));
    }

    /**
     * The same with settings. Paths of datasets must mean the same on all machines. The key of the cluster is in the environment
     * variable {@code UNIMEROS_CLUSTER_KEY}.
     */
    public static Engine connect(String coordinator, Settings settings) {
        return open(settings.with(Setting.COORDINATOR.name(), coordinator));
    }

    /** An engine whose jobs run where the environment says: on the workers that the program was submitted to; else in this process. */
    public static Engine open() {
        return open(Settings.defaults().withEnvironment(System.getenv()));
    }

    /** An engine whose jobs run where the settings {@code coordinator} and {@code workers} say; in this process without them. */
    public static Engine open(Settings settings) {
        return new Engine(settings, Catalog.empty(), Cluster.of(settings));
    }

    /** The same, and it knows datasets by name as {@link #local(Settings, Path)} does. */
    public static Engine open(Settings settings, Path data) {
        return new Engine(settings, catalog(data), Cluster.of(settings));
    }

    private static Catalog catalog(Path data) {
        boolean isFile = data.toString().endsWith(".yaml") || data.toString().endsWith(".yml");
        return isFile ? Catalog.ofFile(data) : Catalog.ofFolder(data);
    }

    public Settings settings() {
        return settings;
    }

    /** The names of all datasets that are known. */
    public List<String> datasets() {
        return catalog.names();
    }

    /**
     * All rows of a dataset, by its name or the path of its folder or file; a pattern such as {@code scans/day=2031-03-*} means all files that fit.
     * Files are listed and columns found
     * now; nothing else is read before a result is asked for.
     */
    public Rows read(String nameOrPath) {
        return read(nameOrPath, options -> options);
    }

    /** All rows of a dataset, with something said of its format or columns. */
    public Rows read(String nameOrPath, UnaryOperator<ReadOptions> options) {
        return new Rows(this, scan(List.of(nameOrPath), options), "read " + nameOrPath);
    }

    /** All rows of several datasets or files as one; the first one says how they are read. */
    public Rows read(List<String> namesOrPaths) {
        return read(namesOrPaths, options -> options);
    }

    /** The same, with something said of their format or columns. */
    public Rows read(List<String> namesOrPaths, UnaryOperator<ReadOptions> options) {
        return new Rows(this, scan(namesOrPaths, options), "read " + String.join(", ", namesOrPaths));
    }

    private Plan scan(List<String> namesOrPaths, UnaryOperator<ReadOptions> options) {
        requireOpen();
        DatasetSpec spec =
                options.apply(new ReadOptions(catalog.find(namesOrPaths))).spec();
        Dataset dataset = Dataset.open(spec, formats);
        return PlanBuilder.scan(dataset, null);
    }

    /** The rows of a query over datasets and paths: {@code select … from scans join dataset('demo/parcels') p on …}. */
    public Rows sql(String query) {
        return sql(query, Map.of());
    }

    /**
     * The rows of a query with parameters.
     *
     * @param parameters what {@code :name} stands for: Boolean, Integer, Long, Double, BigDecimal, String, LocalDate,
     *     Instant, or null
     */
    public Rows sql(String query, Map<String, ?> parameters) {
        requireOpen();
        return new Rows(this, SqlQuery.plan(query, tables(), SqlParameters.of(parameters), functions), query.strip());
    }

    /**
     * A script of several statements, which can make views and datasets for those behind them. Nothing runs before its
     * steps are asked for, one after the other.
     */
    public Script script(String statements, Map<String, ?> parameters) {
        requireOpen();
        return new Script(this, statements, SqlParameters.of(parameters));
    }

    /** The rows that a name or a path means in SQL, and those of {@code dataset(…)}. */
    Tables tables() {
        return new Tables() {
            @Override
            public Plan named(String nameOrPath) {
                return scan(List.of(nameOrPath), options -> options);
            }

            @Override
            public Plan dataset(List<String> namesOrPaths, Map<String, List<String>> said) {
                return scan(namesOrPaths, options -> options.with(said));
            }
        };
    }

    Catalog catalog() {
        return catalog;
    }

    /** A first look at a dataset, without reading its rows. */
    public DatasetInfo inspect(String nameOrPath) {
        return inspect(nameOrPath, options -> options);
    }

    /** The same, with something said of its format or columns. */
    public DatasetInfo inspect(String nameOrPath, UnaryOperator<ReadOptions> options) {
        requireOpen();
        ReadOptions said = options.apply(new ReadOptions(catalog.find(nameOrPath)));
        return DatasetInfo.of(Dataset.open(said.spec(), formats));
    }

    /** Lets a listener see what happens in the runs of this engine. */
    public void watch(RunListener listener) {
        listeners.add(listener);
    }

    /** Whether a run is going on. */
    public boolean isBusy() {
        return !active.isEmpty();
    }

    /**
     * Attaches a file to the jobs of this engine: their own code opens it by this name ({@code context.attachment(name)}). It reaches
     * every worker once, with the first job that is run after this; later changes of it do not count for runs that have begun.
     *
     * @throws org.unimeros.engine.error.UserMistake when it cannot be read, or something else has the name
     */
    public Engine attach(String name, Path file) {
        attachments.add(name, file, FileRef.Role.FILE);
        return this;
    }

    /** Attaches an archive in the format of zip; what is opened by its name is the folder that it was unpacked to, once per worker. */
    public Engine attachArchive(String name, Path archive) {
        attachments.add(name, archive, FileRef.Role.ARCHIVE);
        return this;
    }

    /**
     * Attaches a jar with classes that the job's own code needs on workers. The jars that the code itself is from need not be attached.
     */
    public Engine attachJar(Path jar) {
        attachments.add(jar.getFileName().toString(), jar, FileRef.Role.CODE);
        return this;
    }

    /**
     * Where the program itself finds what is attached under a name, here or when it was submitted: the file, or the folder that an
     * archive was unpacked to.
     *
     * @throws org.unimeros.engine.error.UserMistake when nothing is
     */
    public Path attachment(String name) {
        return Path.of(attachments.attachment(name));
    }

    /**
     * Defines a function that SQL and expressions call by name: {@code define("zone_of", int.class, String.class, code -> …)}. It is
     * called where rows are computed, for every row whose arguments are there: an argument of a primitive type that is null makes the
     * result null, without a call. Types are those of {@link Records}; whole numbers widen. Functions of classes can have a set-up and
     * read attachments.
     *
     * @throws org.unimeros.engine.error.UserMistake when the name is taken, or the function holds what cannot travel
     */
    public <A, R> Engine define(String name, Class<A> argument, Class<R> result, Scalar1<A, R> function) {
        return defined(name, List.of(argument), result, function);
    }

    /** The same with two arguments. */
    public <A, B, R> Engine define(
            String name, Class<A> first, Class<B> second, Class<R> result, Scalar2<A, B, R> function) {
        return defined(name, List.of(first, second), result, function);
    }

    /** The same with three arguments. */
    public <A, B, C, R> Engine define(
            String name,
            Class<A> first,
            Class<B> second,
            Class<C> third,
            Class<R> result,
            Scalar3<A, B, C, R> function) {
        return defined(name, List.of(first, second, third), result, function);
    }

    /** A function that computes a batch of rows at once, for those who need the speed. */
    public Engine defineVectorised(String name, List<Class<?>> arguments, Class<?> result, Vectorised function) {
        return defined(name, arguments, result, function);
    }

    private Engine defined(String name, List<Class<?>> arguments, Class<?> result, TaskCode function) {
        requireOpen();
        boolean strict = arguments.stream().anyMatch(Class::isPrimitive);
        List<RecordShape<?>> shapes = new ArrayList<>();
        arguments.forEach(argument -> shapes.add(RecordShape.of(argument)));
        functions.define(new OwnFunctions.Defined(
                name,
                shapes,
                RecordShape.of(result).made(),
                strict,
                function instanceof Vectorised,
                FunctionCode.of(name, function, arguments, result)));
        return this;
    }

    /**
     * Defines an aggregate that SQL and expressions call by name, in groups and over windows:
     * {@code defineAggregate("weighted_mean", Weighted.class, Sums.class, Double.class, new WeightedMean())}. Where {@code argument} is a
     * record, the aggregate is called with one argument for each of its components, and rows in which one of them is null are left
     * out; or with a struct, which is handed over as it is. States are columns while they travel between tasks and when they are spilled.
     *
     * @throws org.unimeros.engine.error.UserMistake when the name is taken, or the aggregate holds what cannot travel
     */
    public <A, S, R> Engine defineAggregate(
            String name, Class<A> argument, Class<S> state, Class<R> result, Aggregator<A, S, R> aggregate) {
        requireOpen();
        functions.define(new OwnFunctions.Aggregated(
                name,
                RecordShape.of(argument),
                ObjectColumns.typeOf(result),
                AggregatorCode.of(name, aggregate, argument, state, result)));
        return this;
    }

    /**
     * Defines a function that makes rows, for {@code from}: {@code select p.id, s.name from parcels p, stops_of(p.route) as s}. Where
     * {@code argument} is a record, the function is called with one argument for each of its components, and rows in which
     * one of them is null make none; or with a struct, which is handed over as it is. A {@code left join … on true} keeps rows that make none. The rows of one call must fit into memory.
     *
     * @param row a record has a column per component
     * @throws org.unimeros.engine.error.UserMistake when the name is taken, or the function holds what cannot travel
     */
    public <A, R> Engine defineRows(String name, Class<A> argument, Class<R> row, ToRows<A, R> function) {
        requireOpen();
        functions.define(new OwnFunctions.Tabular(
                name, RecordShape.of(argument), ObjectColumns.typeOf(row), RowsCode.of(name, function, argument, row)));
        return this;
    }

    /**
     * Makes a file format of the job known: {@code read(path, o -> o.format("manifest"))}, {@code write(path, as -> as.format("manifest"))},
     * and in files of datasets. Files with its ending are read in it. One that the job's jar offers as a service
     * ({@code META-INF/services/org.unimeros.code.RecordFormat}) need not be defined.
     *
     * @throws org.unimeros.engine.error.UserMistake when there is a format of its name, or it holds what cannot travel
     */
    public Engine defineFormat(RecordFormat<?> format) {
        requireOpen();
        formats.add(FormatCode.of(format));
        return this;
    }

    private static List<Format> formatsOfJob() {
        List<Format> found = new ArrayList<>();
        for (RecordFormat<?> format : ServiceLoader.load(RecordFormat.class)) {
            found.add(FormatCode.of(format));
        }
        return found;
    }

    /**
     * A map of some rows for own code to look values up in, such as the zone of a postcode. It is computed now, and brought to every
     * worker once with the functions that hold it. A key that occurs twice, or is null, is refused.
     *
     * @param rows with columns for key and value, by name where these are records; for single values the first and the second column
     * @throws org.unimeros.engine.error.UserMistake when it is larger than the setting {@code lookup.limit}
     */
    public <K, V> Lookup<K, V> lookup(Rows rows, Class<K> key, Class<V> value) {
        return Lookups.of(rows, key, value, settings.bytes(Setting.LOOKUP_LIMIT));
    }

    /** Texts of calls, with the functions of this engine. */
    SqlExpressions expressions() {
        return expressions;
    }

    OwnFunctions functions() {
        return functions;
    }

    Formats formats() {
        return formats;
    }

    Execution execution() {
        requireOpen();
        runs.removeOld();
        return new Execution(
                settings,
                cluster,
                space,
                List.copyOf(listeners),
                InstantSource.system(),
                active,
                attachments,
                localHeld);
    }

    Held hold(Plan plan, String title) {
        Held rows = execution().hold(this, plan, title);
        held.add(rows);
        return rows;
    }

    void released(Held rows) {
        held.remove(rows);
    }

    private void requireOpen() {
        if (closed) {
            throw new IllegalStateException("the engine is closed");
        }
    }

    /** Cancels what is still running, releases what is held, and ends workers that it started. Can be called more than once. */
    @Override
    public void close() {
        closed = true;
        new ArrayList<>(active).forEach(execution -> execution.cancel("the engine was closed"));
        held.forEach(Held::release);
        if (cluster.isPresent()) {
            awaitActive();
            cluster.get().close();
        }
        attachments.close();
        runs.close();
    }

    /** Runs on workers have something to undo before the workers go. */
    private void awaitActive() {
        long until = System.nanoTime() + CLOSE_NANOS;
        while (isBusy() && System.nanoTime() < until) {
            try {
                Thread.sleep(CLOSE_PAUSE_MILLIS);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                return;
            }
        }
    }
}
