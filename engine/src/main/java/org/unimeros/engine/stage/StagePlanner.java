package org.unimeros.engine.stage;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.unimeros.engine.aggregate.Accumulator;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.DistinctAggregates;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Apply;
import org.unimeros.engine.plan.Plan.Division.ByNumber;
import org.unimeros.engine.plan.Plan.Division.ByRange;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Limit;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Reduce;
import org.unimeros.engine.plan.Plan.Scan;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.Plan.Union;
import org.unimeros.engine.plan.Plan.Unnest;
import org.unimeros.engine.plan.Plan.Window;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.TableSink;
import org.unimeros.engine.stage.Output.ToParts.Notes;
import org.unimeros.engine.stage.Stage.Pipeline;
import org.unimeros.engine.stage.Stage.When;

/**
 * Cuts a logical plan into stages. A fragment is the open end of the plan: pipelines that have no output yet. Steps are
 * added to it until rows must meet across tasks; then it is closed into a stage and a new fragment reads its parts.
 */
public final class StagePlanner {

    /** More conditions of a scan than this are one step. */
    private static final int MOST_STEPS_OF_CONDITIONS = 40;

    /** What a condition is expected to let pass, and a group-by to keep, when nothing better is known. */
    private static final double FILTER_SHARE = 0.3;

    /** How many elements a list is taken to have. */
    private static final double LIST_LENGTH = 5;

    private static final double GROUP_SHARE = 0.1;

    private final PlanSettings settings;
    private final List<Stage> stages = new ArrayList<>();
    private int nextId = 1;

    private StagePlanner(PlanSettings settings) {
        this.settings = settings;
    }

    /** The stages that compute a plan and hand its rows to the caller. */
    public static PhysicalPlan forResult(Plan plan, PlanSettings settings) {
        StagePlanner planner = new StagePlanner(settings);
        Fragment last = planner.fragment(plan);
        planner.close(last, new Output.ToResult());
        return new PhysicalPlan(planner.stages, plan.schema());
    }

    /** The stages that compute a plan and write its rows. */
    public static PhysicalPlan forSink(Plan plan, TableSink sink, PlanSettings settings) {
        StagePlanner planner = new StagePlanner(settings);
        Fragment last = planner.together(plan, sink);
        planner.close(last, new Output.ToSink(sink));
        return new PhysicalPlan(planner.stages, plan.schema());
    }

    /** Rows of one partition come to one task, unless they have an order, in which they stay. */
    private Fragment together(Plan plan, TableSink sink) {
        Fragment made = fragment(plan);
        boolean isOrdered = plan instanceof Sort || plan instanceof Limit;
        if (!settings.writesTogether() || sink.partitionColumns().isEmpty() || isOrdered) {
            return made;
        }
        return together(
                made,
                sink.partitionColumns().stream()
                        .<Expression>map(i -> PlanBuilder.column(made.schema(), i))
                        .toList(),
                Notes.OF_ROWS);
    }

    private Fragment fragment(Plan plan) {
        return switch (plan) {
            case Scan s -> scan(s);
            case Inline i -> Fragment.starting(new Source.Given(i.batches()), i.schema(), Estimate.of(i.batches()));
            case Filter f -> where(fragment(f.input()), f.condition());
            case Project p -> {
                Fragment input = fragment(p.input());
                double width = RowWidth.about(p.schema())
                        / Math.max(1, RowWidth.about(p.input().schema()));
                Estimate size = new Estimate(
                        input.estimate().rows(),
                        input.estimate().scaled(Math.min(1, width)).bytes());
                yield input.then(new Step.Select(p.outputs()), p.schema(), size);
            }
            case Join j -> join(j);
            case Group g -> grouped(g);
            case Expand e -> expand(e);
            case Unnest u -> unnest(u);
            case Window w -> window(w);
            case Sort s -> order(s, Long.MAX_VALUE);
            case Limit l -> limit(l);
            case Union u -> union(u);
            case Apply a -> {
                Fragment input = fragment(a.input());
                yield input.then(new Step.Apply(a.code()), a.schema(), input.estimate());
            }
            case Reduce r -> reduce(r);
        };
    }

    /** Rows come together by parts that are sorted where they are reduced, or as ranges of rows that are sorted before. */
    private Fragment reduce(Reduce r) {
        Fragment input = fragment(r.input());
        List<SortKey> keys = r.order().subList(0, r.keys());
        Fragment made = input;
        if (r.combiner().isPresent()) {
            List<SortKey> together = new ArrayList<>(keys);
            if (r.division() instanceof ByNumber number) {
                together.add(0, SortKey.ascending(PlanBuilder.column(input.schema(), number.column())));
            }
            made = input.then(
                    new Step.Combine(together, input.schema(), r.combiner().get()),
                    input.schema(),
                    input.estimate().scaled(GROUP_SHARE));
        }
        Fragment moved = moved(r, made, keys);
        boolean merges = r.division() instanceof ByRange;
        return moved.then(
                new Step.Reduce(r.order(), r.keys(), input.schema(), merges, r.code()),
                r.schema(),
                moved.estimate().scaled(GROUP_SHARE));
    }

    private Fragment moved(Reduce r, Fragment made, List<SortKey> keys) {
        if (r.division() instanceof ByRange) {
            Fragment local =
                    made.then(new Step.Order(r.order(), made.schema(), Long.MAX_VALUE), made.schema(), made.estimate());
            int stage = close(local, new Output.ToRuns(r.order(), true));
            Source.Cut cut = new Source.Cut(keys.size(), r.reducers());
            return Fragment.starting(new Source.Runs(stage, r.order(), cut), made.schema(), made.estimate());
        }
        Output output = r.division() instanceof ByNumber number
                ? new Output.ToParts(
                        List.of(PlanBuilder.column(made.schema(), number.column())), r.reducers(), Notes.NONE, true)
                : new Output.ToParts(keys.stream().map(SortKey::expression).toList(), r.reducers(), Notes.OF_ROWS);
        return Fragment.starting(
                new Source.Parts(close(made, output), Source.Use.APART), made.schema(), made.estimate());
    }

    private Fragment scan(Scan s) {
        ScanPlan plan = s.source().plan(new ScanRequest(s.columns(), s.conditions(), settings.targetSplitBytes()));
        Source.Table source = new Source.Table(s.source().name(), s.schema().names(), plan);
        double share = RowWidth.about(s.schema())
                / Math.max(1, RowWidth.about(s.source().schema()));
        long rows = plan.estimatedRows();
        // Files can be packed much tighter than rows in memory, which is what has to be there for a copy. With -1,
        // nothing is known of these.
        double bytes = Math.max(plan.bytes() * Math.min(1, share), rows * RowWidth.least(s.schema()));
        Fragment fragment = Fragment.starting(source, s.schema(), new Estimate(rows, (long) Math.ceil(bytes)));
        // Each is a step, whose rows are shown, as long as somebody can read that.
        boolean many = plan.open().size() > MOST_STEPS_OF_CONDITIONS;
        for (Expression condition : many ? List.of(Operators.and(plan.open())) : plan.open()) {
            fragment = where(fragment, condition);
        }
        return fragment;
    }

    private Fragment where(Fragment input, Expression condition) {
        return input.then(
                new Step.Where(condition), input.schema(), input.estimate().scaled(FILTER_SHARE));
    }

    private Fragment grouped(Group g) {
        List<Aggregate> aggregates =
                g.aggregates().stream().map(NamedAggregate::aggregate).toList();
        if (aggregates.stream().anyMatch(a -> a.kind().isCollecting())) {
            return wholeGroup(g, aggregates);
        }
        return aggregates.stream().anyMatch(Aggregate::distinct) ? fragment(DistinctAggregates.expand(g)) : group(g);
    }

    /** Keys and all that the aggregates read are shuffled, since there is nothing to summarise in part. */
    private Fragment wholeGroup(Group g, List<Aggregate> aggregates) {
        List<Expression> read = Aggregates.expressions(aggregates);
        List<Named> inputs = new ArrayList<>(g.keys());
        read.forEach(e -> inputs.add(Named.of("value " + inputs.size(), e)));
        Plan select = new Project(g.input(), inputs);
        int keys = g.keys().size();
        List<Named> keyColumns = new ArrayList<>();
        for (int i = 0; i < keys; i++) {
            keyColumns.add(new Named(
                    PlanBuilder.column(select.schema(), i), g.keys().get(i).field()));
        }
        List<NamedAggregate> overColumns = g.aggregates().stream()
                .map(a -> new NamedAggregate(
                        a.aggregate().map(e -> PlanBuilder.column(select.schema(), keys + read.indexOf(e))), a.name()))
                .toList();
        Fragment input = fragment(select);
        Fragment parts =
                together(input, keyColumns.stream().map(Named::expression).toList(), Notes.OF_ROWS);
        List<DataType> types =
                select.schema().fields().stream().map(Field::type).toList();
        return parts.then(
                new Step.WholeGroup(keyColumns, overColumns, types),
                g.schema(),
                input.estimate().scaled(GROUP_SHARE));
    }

    private Fragment expand(Expand e) {
        Fragment input = fragment(e.input());
        return input.then(
                new Step.Expand(e.variants()),
                e.schema(),
                input.estimate().scaled(e.variants().size()));
    }

    private Fragment unnest(Unnest u) {
        Fragment input = fragment(u.input());
        return input.then(
                new Step.Unnest(u.list(), u.elements().size(), u.position().isPresent(), u.keepsEmpty()),
                u.schema(),
                input.estimate().scaled(LIST_LENGTH));
    }

    private Fragment window(Window w) {
        Fragment parts = together(fragment(w.input()), w.partition(), Notes.OF_ROWS);
        return parts.then(
                new Step.Window(w.input().schema(), w.partition(), w.order(), w.functions()),
                w.schema(),
                parts.estimate());
    }

    private Fragment group(Group g) {
        Optional<KeySets> sets = KeySets.of(g);
        Fragment partial = sets.isPresent() ? partialSets(g, sets.get()) : partial(g);
        List<NamedAggregate> aggregates = sets.map(KeySets::aggregates).orElse(g.aggregates());
        List<Expression> keys = new ArrayList<>();
        for (int i = 0; i < g.keys().size(); i++) {
            keys.add(new ColumnRef(
                    i,
                    g.keys().get(i).field().fullName(),
                    g.keys().get(i).expression().type()));
        }
        Fragment parts = together(partial, keys, Notes.NONE);
        return parts.then(new Step.FinalGroup(g.keys(), aggregates), g.schema(), partial.estimate());
    }

    private Fragment partial(Group g) {
        Fragment input = fragment(g.input());
        return input.then(
                new Step.PartialGroup(g.keys(), g.aggregates()),
                Accumulator.partialSchema(g.keys(), g.aggregates()),
                input.estimate().scaled(GROUP_SHARE));
    }

    private Fragment partialSets(Group g, KeySets sets) {
        Fragment input = fragment(((Expand) g.input()).input());
        Estimate size = input.estimate().scaled(sets.sets().size() * GROUP_SHARE);
        return input.then(
                        new Step.PartialGroup(sets.keys(), sets.aggregates()),
                        Accumulator.partialSchema(sets.keys(), sets.aggregates()),
                        input.estimate().scaled(GROUP_SHARE))
                .then(
                        new Step.PartialSets(sets.keys().size(), sets.aggregates(), sets.sets()),
                        Accumulator.partialSchema(g.keys(), g.aggregates()),
                        size);
    }

    /** Rows with equal keys come to one task, if they do not lie so already. */
    private Fragment together(Fragment fragment, List<Expression> keys, Notes notes) {
        if (!fragment.layout().hasTogether(keys)) {
            return shuffled(fragment, keys, notes);
        }
        boolean joins = fragment.pipelines().stream().anyMatch(p -> !p.joins().isEmpty());
        boolean mayCut =
                fragment.pipelines().stream().noneMatch(p -> Cutting.of(p).isNone());
        return joins && mayCut ? onceCut(fragment, keys, notes) : fragment;
    }

    /** Rows lie right unless a part of a join before is cut into pieces; those are divided another time. */
    private Fragment onceCut(Fragment fragment, List<Expression> keys, Notes notes) {
        Fragment again = shuffled(fragment.when(new When.Uneven()), keys, notes);
        int stage = stages.getLast().id();
        List<Pipeline> both = new ArrayList<>();
        both.addAll(fragment.when(new When.Ran(stage, false)).pipelines());
        both.addAll(again.when(new When.Ran(stage, true)).pipelines());
        Layout layout = fragment.layout().isDividedBy(keys, settings.parts()) ? again.layout() : Layout.together(keys);
        return new Fragment(both, fragment.schema(), fragment.estimate(), layout, OptionalLong.empty());
    }

    /** Each row comes to the part of its keys, if it is not there already. */
    private Fragment divided(Fragment fragment, List<Expression> keys) {
        return fragment.layout().isDividedBy(keys, settings.parts())
                ? fragment
                : shuffled(fragment, keys, Notes.OF_JOIN);
    }

    private Fragment shuffled(Fragment fragment, List<Expression> keys, Notes notes) {
        int parts = keys.isEmpty() ? 1 : settings.parts();
        int stage = close(fragment, new Output.ToParts(keys, parts, notes));
        // Without keys, all rows are wanted in one task.
        boolean mayCut = settings.cutsParts() && !keys.isEmpty();
        Source.Parts source = new Source.Parts(stage, mayCut ? Source.Use.BALANCED : Source.Use.MERGED);
        return Fragment.starting(source, fragment.schema(), fragment.estimate(), Layout.divided(keys, parts));
    }

    private Fragment order(Sort s, long limit) {
        Fragment input = fragment(s.input());
        boolean all = limit == Long.MAX_VALUE;
        Fragment local = all && input.layout().isOrderedBy(s.keys())
                ? input
                : input.then(
                        new Step.Order(s.keys(), s.schema(), limit),
                        input.schema(),
                        input.estimate().limited(limit));
        if (all) {
            int stage = close(local, new Output.ToRuns(s.keys(), false));
            Source.Cut cut = new Source.Cut(s.keys().size(), 0);
            return Fragment.starting(new Source.Runs(stage, s.keys(), cut), s.schema(), input.estimate())
                    .then(new Step.Merge(s.keys(), s.schema()), s.schema(), input.estimate());
        }
        if (local.layout().hasTogether(List.of())) {
            return local;
        }
        Fragment gathered = together(local, List.of(), Notes.NONE);
        return gathered.then(
                new Step.Order(s.keys(), s.schema(), limit),
                s.schema(),
                input.estimate().limited(limit));
    }

    private Fragment limit(Limit l) {
        long needed = l.offset() + l.count() < 0 ? Long.MAX_VALUE : l.offset() + l.count();
        if (l.input() instanceof Sort sort) {
            return take(order(sort, needed), l.offset(), l.count());
        }
        Fragment local = take(fragment(l.input()), 0, needed).wanting(needed);
        return take(together(local, List.of(), Notes.NONE), l.offset(), l.count());
    }

    private Fragment take(Fragment input, long offset, long count) {
        return input.then(
                new Step.Take(offset, count), input.schema(), input.estimate().limited(count));
    }

    private Fragment union(Union u) {
        List<Pipeline> pipelines = new ArrayList<>();
        Estimate size = new Estimate(0, 0);
        for (Plan input : u.inputs()) {
            Fragment fragment = fragment(input);
            pipelines.addAll(fragment.pipelines());
            size = size.plus(fragment.estimate());
        }
        return new Fragment(pipelines, u.schema(), size, Layout.UNKNOWN, OptionalLong.empty());
    }

    private Fragment join(Join j) {
        Optional<JoinGraph> graph = settings.ordersJoins() ? JoinGraph.of(j) : Optional.empty();
        if (graph.isEmpty()) {
            return join(j, fragment(j.left()), fragment(j.right()), "");
        }
        List<Fragment> inputs =
                graph.get().inputs().stream().map(this::fragment).toList();
        List<Integer> written = IntStream.range(0, inputs.size()).boxed().toList();
        List<Integer> order = graph.get()
                .order(inputs.stream().map(Fragment::estimate).toList())
                .orElse(written);
        return joined(j, graph.get(), inputs, order, order.equals(written));
    }

    /** Joins inputs in an order, and puts their columns where they were. */
    private Fragment joined(Join all, JoinGraph graph, List<Fragment> inputs, List<Integer> order, boolean asWritten) {
        String why = "; inputs in the order "
                + order.stream().map(graph::name).collect(Collectors.joining(", "))
                + (asWritten ? ", as written" : " by expected rows");
        Fragment current = inputs.get(order.get(0));
        List<Integer> columns = columnsOf(graph, order.get(0));
        BitSet joined = new BitSet();
        joined.set(order.get(0));
        List<Expression> open = new ArrayList<>(graph.conditions());
        for (int next : order.subList(1, order.size())) {
            joined.set(next);
            columns.addAll(columnsOf(graph, next));
            List<Expression> now = open.stream()
                    .filter(c -> JoinGraph.isWithin(graph.inputsOf(c), joined))
                    .toList();
            open.removeAll(now);
            List<Expression> here = now.stream()
                    .map(c -> Expressions.remap(c, columns::indexOf))
                    .toList();
            Plan step = PlanBuilder.join(
                    new Inline(current.schema(), List.of()),
                    new Inline(inputs.get(next).schema(), List.of()),
                    JoinKind.INNER,
                    JoinMethod.AUTOMATIC,
                    here.isEmpty() ? Literal.TRUE : Operators.and(here));
            current = join((Join) step, current, inputs.get(next), why);
            why = "";
        }
        if (asWritten) {
            return current;
        }
        List<Named> outputs = new ArrayList<>();
        for (int i = 0; i < columns.size(); i++) {
            int place = columns.indexOf(i);
            outputs.add(new Named(
                    PlanBuilder.column(current.schema(), place), all.schema().field(i)));
        }
        return current.then(new Step.Select(outputs), all.schema(), current.estimate());
    }

    private static List<Integer> columnsOf(JoinGraph graph, int input) {
        int offset = graph.offset(input);
        int size = graph.inputs().get(input).schema().size();
        return new ArrayList<>(IntStream.range(offset, offset + size).boxed().toList());
    }

    private Fragment join(Join j, Fragment left, Fragment right, String order) {
        JoinChoice choice =
                JoinChoice.of(j, left.estimate(), right.estimate(), settings).because(order);
        boolean buildLeft = choice.buildLeft();
        Fragment build = buildLeft ? left : right;
        Fragment probe = buildLeft ? right : left;
        List<Expression> probeKeys = buildLeft ? j.rightKeys() : j.leftKeys();
        List<Expression> buildKeys = buildLeft ? j.leftKeys() : j.rightKeys();
        int buildStage;
        Fragment start = probe;
        if (choice.maySwap() && !probe.layout().isDividedBy(probeKeys, settings.parts())) {
            return swappable(j, choice, build, probe);
        }
        if (choice.copied()) {
            buildStage = close(build, new Output.ToCopies());
        } else {
            buildStage = close(
                    build, new Output.ToParts(buildKeys, buildKeys.isEmpty() ? 1 : settings.parts(), Notes.OF_JOIN));
            start = divided(probe, probeKeys);
        }
        return start.then(
                probe(j, choice, buildStage, choice.copied(), build, probe, choice.why()), j.schema(), choice.size());
    }

    private Step.Probe probe(
            Join j, JoinChoice choice, int buildStage, boolean copied, Fragment build, Fragment probe, String why) {
        boolean buildLeft = choice.buildLeft();
        return new Step.Probe(
                buildStage,
                copied,
                buildLeft,
                j.kind(),
                buildLeft ? j.rightKeys() : j.leftKeys(),
                buildLeft ? j.leftKeys() : j.rightKeys(),
                build.schema(),
                probe.schema(),
                j.condition(),
                why);
    }

    /**
     * A shuffled join whose other side waits until the side that rows are looked up in is there: should that turn out
     * small, it is copied after all, and the other side is not moved.
     */
    private Fragment swappable(Join j, JoinChoice choice, Fragment build, Fragment probe) {
        List<Expression> probeKeys = choice.buildLeft() ? j.rightKeys() : j.leftKeys();
        List<Expression> buildKeys = choice.buildLeft() ? j.leftKeys() : j.rightKeys();
        int buildStage = close(build, new Output.ToParts(buildKeys, settings.parts(), Notes.OF_JOIN));
        When small = new When.Size(buildStage, settings.copyLimitBytes(), true);
        When large = new When.Size(buildStage, settings.copyLimitBytes(), false);
        Fragment parts = shuffled(probe.when(large), probeKeys, Notes.OF_JOIN);
        Fragment shuffled = parts.then(
                        probe(j, choice, buildStage, false, build, probe, choice.why()), j.schema(), choice.size())
                .when(large);
        Fragment copied = probe.when(small)
                .then(
                        probe(j, choice, buildStage, true, build, probe, "it turned out small"),
                        j.schema(),
                        choice.size());
        List<Pipeline> both = new ArrayList<>(shuffled.pipelines());
        both.addAll(copied.pipelines());
        return new Fragment(both, j.schema(), choice.size(), Layout.UNKNOWN, OptionalLong.empty());
    }

    private int close(Fragment fragment, Output output) {
        int id = stages.size() + 1;
        Stage stage = Stage.numbered(
                id,
                nextId,
                fragment.pipelines().stream().map(Pipeline::settled).toList(),
                output,
                fragment.schema(),
                fragment.estimate(),
                fragment.rowsWanted());
        nextId = stage.outputId() + 1;
        stages.add(stage);
        return id;
    }
}
