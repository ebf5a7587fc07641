package org.unimeros.sql;

import java.lang.reflect.Field;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.BiConsumer;

/**
 * What of the parser's tree has a meaning here. The parser knows clauses of many dialects and keeps each in a field of a node; a field that the
 * translation does not read must be empty, so that nothing of a statement is passed over in silence.
 *
 * <p>The list below has a line for each class of nodes that the translation takes: the fields that it reads and, behind a bar, those that say
 * only how something is written. All other fields are refused when they hold something. Classes that are not in the list are refused where the
 * translation meets them.
 */
final class UnderstoodNodes {

    private static final String LIST = """
            Column: table columnName arrayConstructor | tableDelimiter resolvedTable
            RowGetExpression: expression columnName
            ArrayExpression: objExpression indexExpression startIndexExpression stopIndexExpression
            ArrayConstructor: expressions | arrayKeyword
            StructType: parameters arguments | dialect keyword
            JsonFunction: functionType inputExpression jsonPathExpression returningType onEmptyBehavior onErrorBehavior \
                wrapperType quotesType passingExpressions keyValuePairs expressions
            JsonFunctionExpression: expression
            TimezoneExpression: timezoneExpressions leftExpression
            DateUnitExpression: type
            BinaryExpression: leftExpression rightExpression
            AndExpression: | useOperator
            OrExpression:
            NotExpression: expression | exclamationMark
            IsDistinctExpression: not
            IsUnknownExpression: leftExpression isNot
            ComparisonOperator: operator
            OldOracleJoinBinaryExpression:
            EqualsTo:
            NotEqualsTo:
            GreaterThan:
            GreaterThanEquals:
            MinorThan:
            MinorThanEquals:
            Addition:
            Subtraction:
            Multiplication:
            Division:
            Modulo:
            Concat:
            SignedExpression: sign expression
            ParenthesedExpressionList:
            ExpressionList:
            NamedExpressionList: names
            Function: nameparts parameters namedParameters distinct attributeExpression attributeColumn \
                orderByElements | allColumns
            AnalyticExpression: name expression offset defaultValue allColumns type distinct filterExpression funcOrderBy \
                windowName windowDef nullHandling ignoreNullsOutside
            TrimFunction: trimSpecification expression fromExpression isUsingFromKeyword
            CaseExpression: switchExpression whenClauses elseExpression | usingBrackets
            WhenClause: whenExpression thenExpression
            CastExpression: keyword leftExpression colDataType | isImplicitCast
            ColDataType: dataType argumentsStringList arrayData precision scale typeModifiers
            ExtractExpression: name expression
            IsNullExpression: leftExpression not useNotNull | useIsNull
            IsBooleanExpression: leftExpression not isTrue
            Between: leftExpression not betweenExpressionStart betweenExpressionEnd usingSymmetric | usingAsymmetric
            InExpression: leftExpression not rightExpression
            LikeExpression: not escapeExpression likeKeyWord
            ExistsExpression: rightExpression not
            StringValue: value prefix | quoteStr
            LongValue: stringValue
            DoubleValue: | value stringValue
            BooleanValue: value
            NullValue:
            AllValue:
            HexValue: value
            DateTimeLiteralExpression: value type
            TimeKeyExpression: stringValue
            IntervalExpression: parameter intervalType expression intervalQualifier | intervalKeyword
            JdbcNamedParameter: name | parameterCharacter
            AnyComparisonExpression: select anyType
            JsonExpression: idents expr
            Select: withItemsList limit offset fetch orderByElements alias pivot unPivot
            PlainSelect: distinct selectItems fromItem joins where groupBy having qualify windowDefinitions
            SetOperationList: selects operations orderByElements
            SetOperation: modifier | type
            UnionOp:
            IntersectOp:
            ExceptOp:
            MinusOp:
            ParenthesedSelect: alias pivot unPivot select sampleClause
            LateralSubSelect: | prefix
            TableStatement: table
            Values: expressions alias
            WithItem: statement alias withItemList recursive | materialized usingNot
            SelectItem: expression alias
            Alias: name aliasColumns | useAs
            AliasColumn: name
            AllColumns: | exceptKeyword
            AllTableColumns: table
            Distinct: onSelectItems
            GroupByElement: groupByExpressions groupingSets
            OrderByElement: expression asc nullOrdering | ascDescPresent
            Limit: rowCount offset
            Offset: offsetExpression | offsetParam
            Fetch: fetchParameters expression | isFetchParamFirst
            Join: onExpressions usingColumns right left natural full fromItem asOf semi apply joinWindow cross simple outer | inner
            Table: partItems alias sampleClause pivot unpivot | partDelimiters resolvedTable
            TableFunction: alias pivot unPivot function rowsFromFunctions withClause
            OracleNamedFunctionParameter: name expression
            ParenthesedFromItem: fromItem joins alias pivot unPivot sampleClause
            Pivot: functionItems forColumns singleInItems multiInItems alias
            UnPivot: includeNulls unpivotClause unpivotForClause unpivotInClause alias | includeNullsSpecified
            WindowDefinition: orderBy partitionBy windowElement windowName
            OrderByClause: orderByElements
            PartitionByClause: | brackets
            IntervalQualifier: leadingField
            WindowElement: type offset range exclusion
            WindowRange: start end
            WindowOffset: expression type
            CreateView: view select orReplace columnNames
            CreateTable: table select ifNotExists orReplace columnDefinitions tableElements | selectParenthesis
            Insert: table columns select conflictAction returningClause | tableKeyword
            """;

    /** What a refused field is in the words of whoever writes a query, where its name does not say. */
    private static final Map<String, String> WORDS = Map.ofEntries(
            Map.entry("AllColumns.exceptColumns", "* except (…)"),
            Map.entry("AllColumns.replaceExpressions", "* replace (…)"),
            Map.entry("GroupByElement.mysqlWithRollup", "with rollup"),
            Map.entry("OrderByElement.mysqlWithRollup", "with rollup"),
            Map.entry("GroupByElement.groupBySortDirections", "an order in group by"),
            Map.entry("Table.timeTravelStr", "a version or time behind a table"),
            Map.entry("Table.timeTravelStrAfterAlias", "a version or time behind a table"),
            Map.entry("Join.any", "any join"),
            Map.entry("IntervalQualifier.trailingField", "an interval of several units"),
            Map.entry("Join.all", "all join"),
            Map.entry("Function.keep", "keep (…)"),
            Map.entry("AnalyticExpression.keep", "keep (…)"),
            Map.entry("Select.forMode", "for update"),
            Map.entry("Insert.conflictTarget", "on conflict"),
            Map.entry("Function.nullHandling", "ignore nulls"),
            Map.entry("Function.ignoreNullsOutside", "ignore nulls"));

    private record Understood(Set<String> read, Set<String> notation) {}

    private static final Map<String, Understood> CLASSES = parse();

    private UnderstoodNodes() {}

    private static Map<String, Understood> parse() {
        Map<String, Understood> classes = new HashMap<>();
        for (String line : LIST.split("\n")) {
            String[] nameAndFields = line.split(":", 2);
            String[] kinds = nameAndFields[1].split("\\|", 2);
            classes.put(nameAndFields[0], new Understood(words(kinds[0]), words(kinds.length == 1 ? "" : kinds[1])));
        }
        return classes;
    }

    private static Set<String> words(String text) {
        return text.isBlank() ? Set.of() : new TreeSet<>(List.of(text.strip().split("\\s+")));
    }

    /**
     * Looks at a node and all below it.
     *
     * @param refused is given each node and what of it has no meaning, in words
     */
    static void check(Object root, BiConsumer<Object, String> refused) {
        Nodes.walk(root, node -> {
            look(node, refused);
            return true;
        });
    }

    private static void look(Object node, BiConsumer<Object, String> refused) {
        for (Field field : Nodes.fields(node.getClass())) {
            Understood understood = CLASSES.get(field.getDeclaringClass().getSimpleName());
            boolean isListed = understood == null
                    || understood.notation.contains(field.getName())
                    || understood.read.contains(field.getName());
            if (!isListed && !isAbsent(Nodes.value(field, node))) {
                refused.accept(node, name(field));
            }
        }
    }

    private static boolean isAbsent(Object value) {
        return switch (value) {
            case null -> true;
            case Boolean b -> !b;
            case Number n -> n.doubleValue() == 0;
            case String s -> s.isEmpty();
            case Collection<?> c -> c.isEmpty();
            case Enum<?> e -> e.name().equals("NONE");
            default -> false;
        };
    }

    private static String name(Field field) {
        String known = WORDS.get(field.getDeclaringClass().getSimpleName() + "." + field.getName());
        return known != null
                ? known
                : field.getName()
                        .replaceFirst("^(is|use|using|my[sS]ql|oracle)(?=[A-Z])", "")
                        .replaceAll("(?<=[a-z])(?=[A-Z])", " ")
                        .toLowerCase(Locale.ROOT);
    }

    /** The fields of the listed classes that are in neither list of their line, and the names there that are no fields. */
    static List<String> unlisted(Class<?> type) {
        Understood understood = CLASSES.get(type.getSimpleName());
        List<String> wrong = new ArrayList<>();
        Set<String> there = new TreeSet<>();
        for (Field field : Nodes.fields(type)) {
            if (field.getDeclaringClass() == type) {
                there.add(field.getName());
            }
        }
        understood.read.stream().filter(f -> !there.contains(f)).forEach(wrong::add);
        understood.notation.stream().filter(f -> !there.contains(f)).forEach(wrong::add);
        return wrong;
    }

    static Set<String> classes() {
        return CLASSES.keySet();
    }
}
