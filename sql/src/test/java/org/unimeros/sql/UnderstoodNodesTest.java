package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.jar.JarFile;
import net.sf.jsqlparser.parser.CCJSqlParser;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.PlanBuilder;

/** Nothing that the parser accepts is passed over. */
class UnderstoodNodesTest {

    private static final Schema PARCELS = Schema.of(
            Field.of("parcel_id", DataType.LONG),
            Field.of("service", DataType.TEXT),
            Field.of("at", DataType.TIMESTAMP));

    private static void plan(String sql) {
        SqlStatement.of(
                sql,
                name -> PlanBuilder.as(new Inline(PARCELS, List.of()), name),
                Map.of(),
                Map.of(),
                new org.unimeros.engine.expr.OwnFunctions());
    }

    /** A new version of the parser can rename a field, which would then be refused, or nobody would read it. */
    @Test
    void everyNameInTheListIsAFieldOfItsClass() throws Exception {
        Map<String, List<String>> wrong = new TreeMap<>();
        TreeSet<String> unknown = new TreeSet<>(UnderstoodNodes.classes());
        for (Class<?> type : parserClasses()) {
            if (UnderstoodNodes.classes().contains(type.getSimpleName())) {
                unknown.remove(type.getSimpleName());
                List<String> unlisted = UnderstoodNodes.unlisted(type);
                if (!unlisted.isEmpty()) {
                    wrong.put(type.getName(), unlisted);
                }
            }
        }
        assertEquals(Map.of(), wrong);
        assertEquals(new TreeSet<>(), unknown, "classes that the parser does not have");
    }

    private static List<Class<?>> parserClasses() throws IOException, ClassNotFoundException {
        Path jar = Path.of(CCJSqlParser.class
                .getProtectionDomain()
                .getCodeSource()
                .getLocation()
                .getPath());
        List<Class<?>> classes = new ArrayList<>();
        try (JarFile file = new JarFile(jar.toFile())) {
            for (String name : file.stream().map(e -> e.getName()).toList()) {
                boolean isNode = name.matches("net/sf/jsqlparser/(expression|schema|statement)/.*\\.class");
                if (isNode) {
                    classes.add(Class.forName(
                            name.replace('/', '.').replace(".class", ""), false, CCJSqlParser.class.getClassLoader()));
                }
            }
        }
        return classes;
    }

    @ParameterizedTest
    @ValueSource(
            strings = {
                "select * except (service) from parcels",
                "select * replace (1 as service) from parcels",
                "select p.* except (service) from parcels p",
                "select service, count(*) from parcels group by service with rollup",
                "select max(parcel_id) keep (dense_rank first order by at) from parcels",
                "select 1 from parcels a any join parcels b on a.parcel_id = b.parcel_id",
                "select 1 from parcels a join parcels b",
                "select 1 from parcels a left join parcels b",
                "select 1 from parcels a outer join parcels b on true",
                "select 1 from parcels for system_time as of timestamp '2031-03-04 00:00:00'",
                "select ~parcel_id from parcels",
                "select lower(distinct service) from parcels",
                "select count(parcel_id ignore nulls) from parcels",
                "select cast(service as char(3)) from parcels",
                "select cast(at as timestamp(3)) from parcels",
                "select cast(parcel_id as int(4)) from parcels",
                "select X'00', N'a' from parcels",
                "select string_agg(service, ',' on overflow truncate) from parcels",
                "select service from parcels group by service asc",
                "select top 3 service from parcels",
                "select distinctrow service from parcels",
                "select unique service from parcels",
                "select service from parcels limit 3 by service",
                "select service from only parcels",
                "select service from parcels for share",
                "select service into x from parcels",
                "select sql_calc_found_rows service from parcels",
                "select service from parcels where service like binary 'a'",
                "select service from parcels where parcel_id global in (1, 2)",
                "with x as (select 1) insert into parcels select * from parcels",
                "insert ignore into parcels select * from parcels",
                "insert overwrite parcels select * from parcels",
                "create materialized view v as select 1",
                "create temporary view v as select 1",
                "create unlogged table t as select 1",
                "select service from parcels order by service with fill",
                "select parcel_id from parcels union by name select 1",
                "select safe_cast(service as int) from parcels",
                "select interval parcel_id day + at from parcels",
                "select * from parcels p cross join parcels q on true",
                "select service collate \"de\" from parcels",
                "select * from parcels, lateral (select 1 as x) t pivot (count(*) for x in (1))",
            })
    void whatHasNoMeaningIsRefused(String sql) {
        UserMistake e = assertThrows(UserMistake.class, () -> plan(sql));
        assertTrue(e.getMessage().length() > 20, e.getMessage());
    }

    @ParameterizedTest
    @ValueSource(
            strings = {
                "select all service from parcels",
                "select parcel_id from parcels union distinct select 1",
                "select b from parcels p (a, b) limit all",
                "select cast(at as timestamp(6)), cast(service as varchar(3)), service::varchar(2) from parcels",
                "select parcel_id from parcels where parcel_id between asymmetric 1 and 2",
                "with x as materialized (select 1 as a) select * from x",
                "select parcel_id from parcels fetch first 3 rows only",
                "select parcel_id from parcels offset 3 rows fetch next row only",
                "select parcel_id from parcels a inner join parcels b using (parcel_id)",
                "create or replace table t as (select 1 as x)",
                "select ((parcel_id)), not (parcel_id = 1), parcel_id != 2 from parcels",
            })
    void whatOnlySaysHowItIsWrittenIsTaken(String sql) {
        plan(sql);
    }
}
