package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;

/** Names, fields, elements and rows of nested columns. */
class NestedSqlTest {

    private static final Schema PARCELS = Schema.of(
            Field.of("parcel_id", DataType.LONG),
            Field.of("device", DataType.parse("struct(id text, model struct(name text, year int))")),
            Field.of("stops", DataType.parse("struct(depot text, minutes int, tags text[])[]")),
            Field.of("codes", DataType.parse("int[]")),
            Field.of("device.battery", DataType.DOUBLE));

    private static Plan plan(String sql) {
        return SqlQuery.plan(sql, name -> new Inline(PARCELS, List.of()));
    }

    private static String columns(String selected) {
        return plan("select " + selected + " from parcels p").schema().qualified(null).fields().stream()
                .map(Field::toString)
                .toList()
                .toString();
    }

    @Test
    void namesReachIntoColumns() {
        String[][] cases = {
            {"device.id", "[id text]"},
            {"p.device.model.year", "[year int]"},
            {"parcels.device", null},
            {"(device).id", "[id text]"},
            {"device.model", "[model struct(name text, year int)]"},
            {"stops[1].depot", "[depot text]"},
            {"stops[1].tags[2]", null},
            {"p.stops.depot d", "[d text[]]"},
            {"codes[1] c, codes[-1] l, codes[2:3] s", "[c int, l int, s int[]]"},
            {"device.battery", "[device.battery double]"},
            {"p.device.battery b", "[b double]"},
            {"array[codes, codes || array[1]] a", "[a int[][]]"},
            {"array[array[1], array[2.5]] a", "[a decimal(11, 1)[][]]"},
            {"struct(parcel_id, codes[1] as first) s", "[s struct(parcel_id long, first int)]"},
            {"struct('a', 1, 'b', 'x') s", "[s struct(a int, b text)]"},
            {"struct('code', parcel_id, 'first', codes[1]) s", "[s struct(code long, first int)]"},
            {"struct(p.device.id as id).id i", "[i text]"},
            {"array[] a, array[null] b", "[a text[], b text[]]"},
            {"cast(codes as bigint[]) c", "[c long[]]"},
            {"cast('{}' as struct(a int, b text[])) s", "[s struct(a int, b text[])]"},
            {"3 = any(codes) a, 3 <> all(codes) b", "[a boolean, b boolean]"},
        };
        List<String> wrong = new ArrayList<>();
        for (String[] c : cases) {
            if (c[1] == null) {
                continue;
            }
            String found = columns(c[0]);
            if (!found.equals(c[1])) {
                wrong.add(c[0] + " has " + found);
            }
        }
        assertEquals(List.of(), wrong);
        assertEquals(1, plan("select parcels.device.id from parcels").schema().size());
    }

    @Test
    void unnestMakesColumns() {
        String[][] cases = {
            {"select * from parcels p, unnest(codes) as c", "c.c int"},
            {"select * from parcels p, unnest(codes) as c(code)", "c.code int"},
            {"select * from parcels p cross join unnest(codes) with ordinality as c(code, n)", "c.code int, c.n long"},
            {"select * from parcels p, unnest(stops) s", "s.depot text, s.minutes int, s.tags text[]"},
            {"select * from parcels p, unnest(stops) s(where_to)", "s.where_to text, s.minutes int, s.tags text[]"},
            {"select * from parcels p left join unnest(stops) s on true, unnest(s.tags) t(tag)", "t.tag text"},
            {"select * from parcels p join unnest(codes) c(code) on code > 3", "c.code int"},
        };
        for (String[] c : cases) {
            String found = plan(c[0]).schema().toString();
            assertTrue(found.endsWith(c[1] + ")"), c[0] + " has " + found);
        }
        assertEquals(
                "(x int)",
                plan("select x from unnest(array[1, 2]) as u(x)")
                        .schema()
                        .qualified(null)
                        .toString());
        String printed = plan("select p.parcel_id from parcels p left join unnest(stops) s on true where s.minutes > 3")
                .print();
        assertTrue(printed.contains("unnest p.stops, keeping rows without elements"), printed);
    }

    @Test
    void mistakesNameWhatIsThere() {
        String[][] cases = {
            {"select device.modle from parcels", "unknown field modle of device; did you mean model?"},
            {"select device.id.x from parcels", ".x needs a struct, but found text (device.id)"},
            {"select devise.id from parcels", "unknown column devise.id"},
            {"select codes.x from parcels", "unknown column codes.x"},
            {"select parcel_id[1] from parcels", "element_at needs a list, but found long (parcel_id)"},
            {"select codes['a'] from parcels", "element_at needs a whole number, but found text ('a')"},
            {
                "select codes[1, 2] from parcels",
                "an index of several numbers is not supported; write one behind the other"
            },
            {"select array[1, 'a']", "list(…) needs values of one type, but found int and text"},
            {"select array[1] || array['a']", "concat needs values of one type, but found int[] and text[]"},
            {"select contains(codes, 'a') from parcels", "contains needs a value of the type of the elements"},
            {"select struct(1 as a, 2 as A)", "a struct needs different field names, but A occurs twice"},
            {"select struct(1 + 1, 2 as b)", "a field of a struct needs a name, as in: struct(1 + 1 as name, …)"},
            {"select struct('a', 1, 'b')", "struct is called as struct(name, value, …), but found an odd number"},
            {"select codes + 1 from parcels", "operator + needs two numbers, but found int[] (codes)"},
            {"select sum(codes) from parcels", "sum needs a number, but found int[] (codes)"},
            {"select cast(codes as int) from parcels", "cannot cast int[] (codes) to int"},
            {"select cast(device as struct(id text)) from parcels", "cannot cast struct("},
            {"select * from parcels, unnest(parcel_id) u", "unnest needs a list, but found long (parcel_id)"},
            {"select * from parcels, unnest(codes) u(a, b)", "unnest of codes makes 1 columns, but found 2 names"},
            {"select * from parcels, unnest(codes, codes) u", "the function unnest(codes, codes) as an input is not"},
            {
                "select * from parcels right join unnest(codes) u on true",
                "this kind of join with unnest is not supported"
            },
            {
                "select * from parcels left join unnest(codes) u(c) on c > 1",
                "use a comma, cross join, join … on, or left join"
            },
            {"select codes = device from parcels", "comparison = needs values of one type, but found int[] and struct("
            },
            {"select codes > any(codes) from parcels", "this comparison with the elements of a list is not supported"},
            {"select json_value('{}', 'a.b')", "json_value: 'a.b' is not a path; write it as '$.events[0].depot'"},
            {"select json_value('{}', '$.a[x]')", "is not a path"},
            {"select from_json('[]', 'int')", "from_json needs a list or a struct as its type, but found int"},
            {"select from_json('[]', 'lst(int)')", "unknown type lst(int)"},
            {"select X'0af'", "X'0af' has no even number of hexadecimal digits"},
            {"select series(1.5, 3)", "series needs whole numbers, but found decimal(2, 1) (1.5)"},
            {"select at_zone(timestamp '2031-03-04', 'Arvia/Capital')", "unknown time zone Arvia/Capital"},
            {"select time '25:00'", "'25:00' is not a time; write it as time '16:05:00'"},
            {
                "select list_agg(distinct codes order by parcel_id) from parcels",
                "can only be ordered by the value itself"
            },
            {
                "select * from parcels unpivot ((a, b) for k in ((parcel_id, codes)))",
                "this kind of unpivot is not supported"
            },
            {
                "select * from parcels pivot (count(*) for (parcel_id, codes) in ((1, 2)))",
                "this kind of pivot is not supported"
            },
        };
        List<String> wrong = new ArrayList<>();
        for (String[] c : cases) {
            String message = assertThrows(UserMistake.class, () -> plan(c[0]), c[0])
                    .getMessage()
                    .replaceAll("(parcels|p)\\.", "");
            if (!message.contains(c[1])) {
                wrong.add(c[0] + "\n  says: " + message + "\n  not:  " + c[1]);
            }
        }
        assertEquals("", String.join("\n", wrong));
    }

    /** A key that is written in another case is the same key. */
    @Test
    void fieldsAreKeysInAnyCase() {
        String grouped = plan("select Device.MODEL.Year, count(*) from parcels group by device.model.year")
                .print();
        assertTrue(grouped.contains("summarise count(*)"), grouped);
    }

    @Test
    void qualifyComesBehindAllWindowFunctions() {
        String printed = plan("select parcel_id, count(*) over () as all_of from parcels"
                        + " qualify row_number() over (partition by codes[1] order by parcel_id) = 1")
                .print();
        assertTrue(printed.indexOf("where") < printed.indexOf("window count"), printed);
        assertTrue(printed.indexOf("where") < printed.indexOf("window row_number"), printed);
    }
}
