package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.plan.Plan.Inline;

/** What functions, aggregates and windows say of arguments that do not fit, and of values for which they are not defined. */
class FunctionMistakesTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("service", DataType.TEXT),
            Field.of("weight_g", DataType.INT),
            Field.of("price", new DataType.Decimal(10, 2)),
            Field.of("posted_on", DataType.DATE),
            Field.of("fragile", DataType.BOOLEAN));

    /** The message of a query over these columns, or of the value of its only expression. */
    private static String message(String expression) {
        try {
            SqlQuery.plan("select " + expression + " from parcels", name -> new Inline(SCHEMA, List.of()));
            Expression constant = SqlExpressions.PLAIN.expression(expression, new Schema(List.of()));
            Literal value = Evaluator.fold(constant);
            return "gives " + value;
        } catch (UnimerosException e) {
            return e.getMessage();
        }
    }

    private static void check(String[]... cases) {
        List<String> wrong = new ArrayList<>();
        for (String[] c : cases) {
            String message = message(c[0]).replace("parcels.", "");
            if (!message.contains(c[1])) {
                wrong.add(c[0] + "\n  says: " + message + "\n  not:  " + c[1]);
            }
        }
        assertEquals("", String.join("\n", wrong));
    }

    @Test
    void argumentsThatDoNotFitAreNamed() {
        check(new String[][] {
            {"upper(weight_g)", "upper needs text, but found int (weight_g); use cast(… as text)"},
            {"left(service, service)", "left needs a whole number, but found text (service)"},
            {"left(service)", "function left is called as left(text, count), but found 1 argument"},
            {"sqrt(service)", "sqrt needs a number, but found text (service)"},
            {"sqrt(weight_g, 2)", "but found 2 arguments"},
            {"round(price, weight_g)", "round needs a whole literal as its digits, but found weight_g"},
            {"date_trunc('fortnight', posted_on)", "unknown unit of time fortnight"},
            {"date_trunc(service, posted_on)", "date_trunc needs a text literal as its unit, but found service"},
            {"date_diff('day', service, posted_on)", "date_diff needs a date or a timestamp, but found text"},
            {"to_char(posted_on, 'YYYY \"T')", "has a quote without its other one"},
            {"to_char(posted_on, 'yy')", "unknown part of a format at 'yy'"},
            {"matches(service, service)", "matches needs a text literal as its regular expression"},
            {"regexp_replace(service, 'a', 'b', 'i')", "regexp_replace knows only the flag 'g'"},
            {"make_date(2031, 2)", "called as make_date(year, month, day)"},
            {"coalesce(service, weight_g)", "case needs values of one type, but found text and int"},
            {"greatest(service, weight_g)", "comparison >= needs values of one type"},
            {"weight_g > interval '1' minute", "an interval can be compared with the time between two timestamps"},
            {"weight_g between interval '1' minute and 5", "an interval can be compared with the time between"},
            {"not weight_g", "not needs a condition, but found int (weight_g)"},
            {"fragile + 1", "operator + needs two numbers, but found boolean (fragile)"},
            {"posted_on + posted_on", "a date takes whole days or an interval"},
            {"cast(posted_on as int)", "cannot cast date (posted_on) to int"},
            {"extract(fortnight from posted_on)", "unknown part of a time fortnight"},
        });
    }

    @Test
    void aggregatesAndWindowsSayHowTheyAreCalled() {
        check(new String[][] {
            {"sum(service)", "sum needs a number, but found text (service)"},
            {"avg(fragile)", "avg needs a number, but found boolean (fragile)"},
            {"sum(*)", "sum needs a value, as in sum(weight_g)"},
            {"share(weight_g)", "share needs a condition, but found int (weight_g)"},
            {"stddev(posted_on)", "stddev needs a number, but found date"},
            {"percentile_cont(0.5) within group (order by service)", "percentile_cont needs a number, but found text"},
            {"percentile_disc(weight_g) within group (order by service)", "a fraction from 0 to 1"},
            {"mode(service)", "mode is called as: mode() within group (order by kind)"},
            {"string_agg(service)", "aggregate string_agg is called as string_agg("},
            {"string_agg(service, service)", "string_agg needs a text literal as its separator"},
            {"string_agg(distinct service, ',' order by weight_g)", "can only be ordered by the value itself"},
            {"top_values(service, 0)", "top_values needs a whole number of at least 1"},
            {"first_by(service)", "aggregate first_by is called as first_by(value, key)"},
            {"approx_percentile(weight_g, 7)", "approx_percentile needs a fraction from 0 to 1"},
            {"median(service)", "percentile_cont needs a number"},
            {"sum(max(weight_g))", "aggregates cannot be nested"},
            {"lag(weight_g, 1, service) over (order by weight_g)", "lag needs values of one type"},
            {"ntile(0) over (order by weight_g)", "ntile needs a whole number of at least 1"},
            {"nth_value(weight_g) over (order by weight_g)", "window function nth_value is called as"},
            {"rang() over (order by weight_g)", "unknown window function rang; did you mean rank?"},
            {"row_number() filter (where fragile) over (order by weight_g)", "only aggregates take filter"},
            {"sum(weight_g) over (order by weight_g rows 1.5 preceding)", "needs a whole number of rows"},
            {
                "sum(weight_g) over (order by service, weight_g range 1 preceding)",
                "an order by one expression, but found 2"
            },
            {"sum(weight_g) over (order by service range 1 preceding)", "operator - needs two numbers"},
            {
                "sum(weight_g) over (order by posted_on range interval '1' hour preceding)",
                "must keep the type of the order, date"
            },
            {"sum(rank() over (order by weight_g))", "a window function is not allowed here"},
        });
    }

    @Test
    void valuesForWhichAFunctionIsNotDefinedAreErrorsWithTheValue() {
        check(new String[][] {
            {"sqrt(-1)", "sqrt is not defined for -1.0 in sqrt(-1.0)"},
            {"ln(0)", "ln is not defined for 0.0"},
            {"asin(2)", "asin is not defined for 2.0"},
            {"make_date(2031, 2, 30)", "there is no day 2031-2-30"},
            {"to_date('30.02.2031x', 'DD.MM.YYYY')", "'30.02.2031x' is no date in the format 'DD.MM.YYYY'"},
            {"to_timestamp('x', 'YYYY-MM-DD HH24:MI')", "'x' is no timestamp in the format"},
            {"chr(0)", "there is no character 0"},
            {"substring('abc', 1, -1)", "negative length -1"},
            {"mod(1, 0)", "division by zero"},
            {"2147483647 + 1", "2147483647 + 1 is out of range for int"},
            {
                "cast('x' as int)",
                "'x' does not fit int in cast('x' as int); filter such rows, or use try_cast to get null"
            },
            {"cast(300000000000 as int)", "300000000000 does not fit int"},
            {"abs(-2147483648)", "gives 2147483648"},
        });
    }

    @Test
    void nullsGoThrough() {
        check(new String[][] {
            {"upper(null)", "gives null"},
            {"substring(null, 1, 2)", "gives null"},
            {"sqrt(null)", "gives null"},
            {"year(null)", "gives null"},
            {"concat('a', null)", "gives null"},
            {"concat_ws('-', 'a', null, 'b')", "gives 'a-b'"},
            {"coalesce(null, 1)", "gives 1"},
            {"greatest(1, null)", "gives null"},
            {"null like 'a'", "gives null"},
            {"regexp_substr('abc', '[0-9]')", "gives null"},
            {"null is distinct from null", "gives false"},
            {"1 in (2, null)", "gives null"},
            {"true or null", "gives true"},
        });
    }
}
