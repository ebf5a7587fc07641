package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Queries over small tables, with answers that can be checked by eye. */
class SqlResultsTest {

    @TempDir
    static Path root;

    private static Engine engine;

    @BeforeAll
    static void open() throws IOException {
        Files.writeString(root.resolve("parcels.csv"), """
                parcel_id,shipper_id,service,weight_g,posted_on,price
                1,10,express,500,2031-03-01,4.50
                2,10,standard,1500,2031-03-01,3.20
                3,20,,2500,2031-03-02,3.20
                4,20,express,,2031-03-02,
                5,30,standard,12000,2031-03-03,9.99
                6,99,evening,700,2031-03-15,5.00
                """);
        Files.writeString(root.resolve("shippers.csv"), """
                shipper_id,name,tier
                10,Lampen Lindental,gold
                20,"Garne & Söhne, Altmühle",basic
                30,Tee Nordkamp,gold
                40,Noten Torfmoor,silver
                """);
        Files.writeString(root.resolve("empty.csv"), "a,b\n");
        Settings settings = Settings.defaults().with("runs.folder", "").with("shuffle.parts", "3");
        engine = Engine.local(settings, root);
    }

    @AfterAll
    static void close() {
        engine.close();
    }

    /** Expected rows are separated by " / ", cells by " | "; in any order unless the query orders them. */
    @ParameterizedTest
    @CsvSource(
            delimiterString = " => ",
            quoteCharacter = '`',
            maxCharsPerColumn = 5000,
            value = {
                "select parcel_id from parcels where weight_g > 1000 => 2 / 3 / 5",
                "select parcel_id from parcels where weight_g is null => 4",
                "select parcel_id from parcels where not (weight_g > 1000) => 1 / 6",
                "select parcel_id from parcels where service in ('express', 'evening') => 1 / 4 / 6",
                "select parcel_id from parcels where service not in ('express') => 2 / 5 / 6",
                "select parcel_id from parcels where service like '%ing' or service is null => 3 / 6",
                "select parcel_id from parcels where posted_on between '2031-03-02' and date '2031-03-03' => 3 / 4 / 5",
                "select parcel_id from parcels where posted_on > date '2031-03-01' + interval '1' week => 6",
                "select parcel_id from parcels where price = 3.2 => 2 / 3",
                "select parcel_id from parcels where weight_g / 1000 = 2 => 3",
                "select parcel_id from parcels where weight_g <> 0 and 1000 / weight_g >= 1 => 1 / 6",
                "select sum(weight_g), count(weight_g), count(*), avg(weight_g) from parcels => 17200 | 5 | 6 | 3440.0",
                "select sum(price), min(price), max(price) from parcels => 25.89 | 3.20 | 9.99",
                "select service, count(*) from parcels group by service => express | 2 / standard | 2 /  | 1 / evening | 1",
                "select count(*) from parcels where weight_g > 99999 => 0",
                "select sum(weight_g), min(service) from parcels where weight_g > 99999 => |",
                "select count(*), count(a), max(b) from empty => 0 | 0 |",
                "select a from empty group by a => ",
                "select distinct service is null as none from parcels => false / true",
                "select count(*) filter (where service = 'express') as e, share(weight_g > 1000) as s from parcels => 2 | 0.6",
                "select bool_or(weight_g > 9000), bool_and(weight_g > 9000) from parcels => true | false",
                "select month(posted_on) m, count(*) n from parcels group by month(posted_on) => 3 | 6",
                "select extract(day from posted_on) d, count(*) n from parcels group by 1 order by 1 desc limit 2 => 15 | 1 / 3 | 1",
                "select date_trunc('week', posted_on) w, count(*) from parcels group by 1 order by 1 => 2031-02-24 | 4 / 2031-03-03 | 1 / 2031-03-10 | 1",
                "select service from parcels group by service having count(*) > 1 order by service => express / standard",
                "select service, max(weight_g) - min(weight_g) as spread from parcels where service = 'standard' group by 1 => standard | 10500",
                "select parcel_id from parcels order by weight_g desc nulls last, parcel_id limit 3 => 5 / 3 / 2",
                "select parcel_id from parcels order by weight_g limit 2 offset 1 => 6 / 2",
                "select parcel_id from parcels order by weight_g desc limit 1 => 4",
                "select parcel_id as p, weight_g w from parcels order by w nulls first limit 2 => 4 | / 1 | 500",
                "select parcel_id from parcels order by price * -1 nulls last, 1 desc limit 2 => 5 / 6",
                "select p.parcel_id, s.name from parcels p join shippers s on p.shipper_id = s.shipper_id where s.tier = 'gold' => 1 | Lampen Lindental / 2 | Lampen Lindental / 5 | Tee Nordkamp",
                "select p.parcel_id, s.tier from parcels p left join shippers s on p.shipper_id = s.shipper_id where p.parcel_id > 4 => 5 | gold / 6 |",
                "select s.name from shippers s left join parcels p on s.shipper_id = p.shipper_id where p.parcel_id is null => Noten Torfmoor",
                "select s.tier, count(p.parcel_id) n from shippers s left join parcels p using (shipper_id) group by s.tier => gold | 3 / basic | 2 / silver | 0",
                "select a.parcel_id, b.parcel_id from parcels a join parcels b on a.shipper_id = b.shipper_id and a.parcel_id < b.parcel_id => 1 | 2 / 3 | 4",
                "select a.parcel_id, count(b.parcel_id) n from parcels a left join parcels b on b.weight_g > a.weight_g group by 1 => 1 | 4 / 2 | 2 / 3 | 1 / 4 | 0 / 5 | 0 / 6 | 3",
                "select count(*) from parcels, shippers => 24",
                "select count(*) from parcels p, shippers s where p.shipper_id = s.shipper_id => 5",
                "select tier, n from (select tier, count(*) as n from shippers group by tier) t where n > 1 => gold | 2",
                "with heavy as (select * from parcels where weight_g > 1000) select count(*) from heavy => 3",
                "select 1 as x union select 1 union select 2 => 1 / 2",
                "select 1 as x union all select 1 => 1 / 1",
                "select parcel_id as x from parcels where parcel_id < 3 union all select shipper_id from shippers order by x desc limit 2 => 40 / 30",
                "select 1 as x union all select 2.5 => 1.0 / 2.5",
                "select null as x, 'a' as y union all select y, x from (select 'b' as x, null as y) t union all select 2, null => | a / | b / 2 |",
                "select null as x union select null union select date '2031-03-04' order by x => 2031-03-04 /",
                "select parcel_id as x from parcels where parcel_id = 1 except select null => 1",
                "select case when weight_g > 10000 then 'heavy' when weight_g > 1000 then 'medium' else 'light' end c, count(*) from parcels group by 1 => light | 3 / medium | 2 / heavy | 1",
                "select coalesce(service, 'none') from parcels where parcel_id = 3 => none",
                "select nullif(service, 'express') from parcels where parcel_id in (1, 2) => / standard",
                "select cast(price as int), cast(weight_g as text) || 'g', cast('7' as long) + 1 from parcels where parcel_id = 1 => 5 | 500g | 8",
                "select try_cast(service as int) from parcels where parcel_id = 1 => ",
                "select upper(name), length(name) from shippers where shipper_id = 20 => GARNE & SÖHNE, ALTMÜHLE | 23",
                "select substring(name from 1 for 3) from shippers where shipper_id = 30 => Tee",
                "select posted_on - date '2031-03-01' as days from parcels where parcel_id = 6 => 14",
                "select true and null is null, null = null, 1 in (2, 3) => true | | false",
                "select 7 / 2, 7 % 2, -7 / 2, 7 / 2.0, 7e0 / 2 => 3 | 1 | -3 | 3.5 | 3.5",
                "select 0.1 + 0.2 = 0.3, 1.10 * 2 => true | 2.20",
                "select greatest(1, 2), least('a', 'b'), abs(-2.5), round(2.567, 1) => 2 | a | 2.5 | 2.6",
                "select timestamp '2031-03-01 10:00:00' + interval '90' minute, date '2031-03-31' - interval '1' month => 2031-03-01 11:30:00 | 2031-02-28",
                "select \"parcel_id\" from \"parcels\" where \"PARCEL_ID\" = 1 -- a remark => 1",
                "select p.parcel_id from parcels p right join shippers s on p.shipper_id = s.shipper_id and s.tier = 'gold' =>  /  / 1 / 2 / 5",
                "select count(*), count(p.parcel_id), count(s.name) from parcels p full join shippers s on p.shipper_id = s.shipper_id => 7 | 6 | 6",
                "select parcel_id from parcels where shipper_id in (select shipper_id from shippers where tier = 'gold') => 1 / 2 / 5",
                "select parcel_id from parcels where shipper_id not in (select shipper_id from shippers) => 6",
                "select parcel_id from parcels where service not in (select service from parcels where parcel_id = 3) => ",
                "select name from shippers s where not exists (select 1 from parcels p where p.shipper_id = s.shipper_id) => Noten Torfmoor",
                "select name, (select count(*) from parcels p where p.shipper_id = s.shipper_id) n from shippers s => Garne & Söhne, Altmühle | 2 / Lampen Lindental | 2 / Noten Torfmoor | 0 / Tee Nordkamp | 1",
                "select parcel_id from parcels p where weight_g = (select max(weight_g) from parcels q where q.shipper_id = p.shipper_id) => 2 / 3 / 5 / 6",
                "select parcel_id, exists (select 1 from shippers s where s.shipper_id = p.shipper_id) from parcels p => 1 | true / 2 | true / 3 | true / 4 | true / 5 | true / 6 | false",
                "select parcel_id from parcels where weight_g > all (select weight_g from parcels where service = 'express' and weight_g is not null) => 2 / 3 / 5 / 6",
                "select parcel_id, row_number() over (order by parcel_id desc) from parcels => 6 | 1 / 5 | 2 / 4 | 3 / 3 | 4 / 2 | 5 / 1 | 6",
                "select parcel_id, rank() over (order by posted_on), dense_rank() over (order by posted_on) from parcels => 1 | 1 | 1 / 2 | 1 | 1 / 3 | 3 | 2 / 4 | 3 | 2 / 5 | 5 | 3 / 6 | 6 | 4",
                "select parcel_id, sum(weight_g) over (partition by posted_on) from parcels => 1 | 2000 / 2 | 2000 / 3 | 2500 / 4 | 2500 / 5 | 12000 / 6 | 700",
                "select parcel_id, sum(weight_g) over (order by parcel_id rows between 1 preceding and current row) from parcels => 1 | 500 / 2 | 2000 / 3 | 4000 / 4 | 2500 / 5 | 12000 / 6 | 12700",
                "select parcel_id, lag(weight_g, 1, -1) over (order by parcel_id), lead(weight_g) over (order by parcel_id) from parcels => 1 | -1 | 1500 / 2 | 500 | 2500 / 3 | 1500 | / 4 | 2500 | 12000 / 5 |  | 700 / 6 | 12000 |",
                "select parcel_id, ntile(2) over (order by parcel_id), first_value(parcel_id) over (partition by shipper_id order by parcel_id) from parcels => 1 | 1 | 1 / 2 | 1 | 1 / 3 | 1 | 3 / 4 | 2 | 3 / 5 | 2 | 5 / 6 | 2 | 6",
                "select service, count(*), sum(count(*)) over () from parcels group by service => evening | 1 | 6 / express | 2 | 6 / standard | 2 | 6 / | 1 | 6",
                "select parcel_id, count(*) over (order by posted_on range between interval '1' day preceding and current row) from parcels => 1 | 2 / 2 | 2 / 3 | 4 / 4 | 4 / 5 | 3 / 6 | 1",
                "select service, posted_on, count(*) from parcels where parcel_id < 4 group by rollup (service, posted_on) => express |  | 1 / express | 2031-03-01 | 1 / standard |  | 1 / standard | 2031-03-01 | 1 / |  | 1 / |  | 3 / | 2031-03-02 | 1",
                "select service, tier, count(*) from parcels join shippers using (shipper_id) group by grouping sets ((service), (tier), ()) => express |  | 2 / standard |  | 2 / |  | 1 / |  | 5 / | basic | 2 / | gold | 3",
                "select service, grouping(service), count(*) from parcels group by cube (service) => evening | 0 | 1 / express | 0 | 2 / standard | 0 | 2 / | 0 | 1 / | 1 | 6",
                "select count(distinct service), count(distinct shipper_id), count(*) from parcels => 3 | 4 | 6",
                "select service, count(distinct shipper_id), sum(weight_g) from parcels group by service => evening | 1 | 700 / express | 2 | 500 / standard | 2 | 13500 / | 1 | 2500",
                "select percentile_cont(0.5) within group (order by weight_g), percentile_disc(0.5) within group (order by weight_g) from parcels => 1500.0 | 1500",
                "select string_agg(service, '+' order by parcel_id), mode() within group (order by service) from parcels => express+standard+express+standard+evening | express",
                "select service, first_by(parcel_id, weight_g), last_by(parcel_id, weight_g) from parcels group by service => evening | 6 | 6 / express | 1 | 1 / standard | 2 | 5 / | 3 | 3",
                "select var_pop(weight_g), round(stddev_samp(weight_g), 6) from parcels where parcel_id < 4 => 666666.6666666666 | 1000.0",
                "select median(weight_g), top_values(service, 2) from parcels => 1500.0 | express (2), standard (2)",
                "select shipper_id from parcels intersect select shipper_id from shippers => 10 / 20 / 30",
                "select shipper_id from shippers except select shipper_id from parcels => 40",
                "select service from parcels except all select service from parcels where parcel_id in (1, 3) => evening / express / standard / standard",
                "select x, y from (values (1, 'a'), (2, null)) t(x, y) => 1 | a / 2 |",
                "select * from parcels natural join shippers where parcel_id = 1 => 10 | 1 | express | 500 | 2031-03-01 | 4.50 | Lampen Lindental | gold",
                "select shipper_id, s.name from parcels full join shippers s using (shipper_id) where parcel_id is null or s.name is null => 40 | Noten Torfmoor / 99 |",
                "select d.x, l.parcel_id from (values (10), (20)) d(x) cross join lateral (select parcel_id from parcels p where p.shipper_id = d.x order by parcel_id desc limit 1) l => 10 | 2 / 20 | 4",
                "select left(name, 3), right(name, 4), lpad('7', 3, '0'), initcap('AB cd'), split_part('a-b', '-', 2) from shippers where shipper_id = 10 => Lam | ntal | 007 | Ab Cd | b",
                "select regexp_replace(name, '[aeiou]', '', 'g') from shippers where shipper_id = 40 => Ntn Trfmr",
                "select to_char(posted_on, 'DD.MM.YY'), last_day(posted_on), date_diff('week', date '2031-03-01', posted_on) from parcels where parcel_id = 6 => 15.03.31 | 2031-03-31 | 2",
                "select power(2, 3), sign(-2), trunc(-2.7), log10(100), div(7, 2), greatest(1, 3, 2), least(4, 2) => 8.0 | -1 | -2 | 2.0 | 3 | 3 | 2",
                "select 'a_b' like 'a!_b' escape '!', 'axb' like 'a!_b' escape '!', 'AB' ilike 'a%', null is not distinct from null => true | false | true | true",
                "select weight_g, case when weight_g is distinct from 500 then 'other' else 'same' end from parcels where parcel_id in (1, 4) => 500 | same / | other",
                "select (1, 2) = (1, 2), (1, 2) in ((3, 4), (1, 2)), (1, null) = (2, null) => true | true | false",
                "with t(a, b) as (select parcel_id, weight_g from parcels), u as (select max(b) m from t) select a from t, u where b = m => 5",
                "select parcel_id from parcels order by parcel_id offset 4 fetch first 1 rows only => 5",
                "select service, count(*) from parcels where weight_g > 99999 group by rollup (service) => | 0",
                "select service, grouping(service), sum(coalesce(weight_g, 7)) from parcels where parcel_id = 4 group by cube (service) => express | 0 | 7 /  | 1 | 7",
                "select parcel_id from parcels qualify row_number() over (partition by service order by weight_g desc nulls last) = 1 => 1 / 3 / 5 / 6",
                "select service, count(*) from parcels group by service qualify rank() over (order by count(*) desc) = 1 => express | 2 / standard | 2",
                "select * from (select shipper_id, service from parcels) p pivot (count(*) for service in ('express', 'standard' as plain)) q => 10 | 1 | 1 / 20 | 1 | 0 / 30 | 0 | 1 / 99 | 0 | 0",
                "select * from (select parcel_id, weight_g, shipper_id from parcels where parcel_id = 4) p unpivot (n for what in (weight_g, shipper_id)) => 4 | shipper_id | 20",
                "select * from (select parcel_id, weight_g from parcels where parcel_id = 4) p unpivot include nulls (n for what in (weight_g as 'g')) => 4 | g |",
                "select service, list_agg(parcel_id order by parcel_id desc) from parcels where shipper_id < 25 group by service => express | [4,1] / standard | [2] /  | [3]",
                "select array_agg(weight_g order by parcel_id) from parcels where parcel_id in (3, 4) => [2500,null]",
                "select list_agg(distinct service order by service) from parcels => [\"evening\",\"express\",\"standard\"]",
                "select x, n from unnest(array['b', 'a']) with ordinality as u(x, n) where n > 1 => a | 2",
                "select p.parcel_id, x from parcels p, unnest(series(1, weight_g, 1000)) u(x) where parcel_id in (1, 2, 4) => 1 | 1 / 2 | 1 / 2 | 1001",
                "select sum(cast(price as decimal(9, 2))) * 1000000000000000000, sum(cast(price as decimal(38, 2))) from parcels => 25890000000000000000.00 | 25.89",
                "select 12345678901234567890 + 1, cast('1e20' as decimal(30, 2)), -12345678901234567890.5 => 12345678901234567891 | 100000000000000000000.00 | -12345678901234567890.5",
                "select json_value('{\"a\": [1, {\"b\": 2}]}', '$.a[1].b' returning int) + 1, is_json('[') => 3 | false",
                "select time '23:30' + interval '1 hour', extract(hour from time '23:30'), cast(timestamp '2031-03-01 05:06:07' as time) => 00:30:00 | 23 | 05:06:07",
                "select at_zone(timestamp '2031-03-01 05:00:00+02:00', '+01:00'), X'ff' > X'0fff', cast(0.1 as float) => 2031-03-01 04:00:00 | true | 0.1",
            })
    void aQueryGivesItsAnswer(String sql, String expected) {
        Result result = engine.sql(sql).fetch();
        List<String> rows = new ArrayList<>(
                result.rows().stream().map(r -> r.toString().strip()).toList());
        List<String> wanted = new ArrayList<>();
        if (expected != null || result.size() > 0) {
            for (String row : (expected == null ? "" : expected).split(" ?/ ?", -1)) {
                wanted.add(row.strip().replaceAll(" *\\| *", " | ").strip());
            }
        }
        rows.replaceAll(r -> r.replaceAll(" *\\| *", " | ").strip());
        // An order inside of parentheses is none of the result.
        String outside = sql.replaceAll("\\([^()]*\\)", "")
                .replaceAll("\\([^()]*\\)", "")
                .replaceAll("\\([^()]*\\)", "");
        if (!outside.contains("order by")) {
            Collections.sort(rows);
            Collections.sort(wanted);
        }
        assertEquals(wanted, rows, sql);
    }
}
