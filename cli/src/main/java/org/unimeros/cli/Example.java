package org.unimeros.cli;

import java.nio.file.Path;
import java.time.LocalDate;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.examples.DailyScansPerDepot;
import org.unimeros.examples.DeliveryZones;
import org.unimeros.examples.EnrichedParcels;
import org.unimeros.examples.HandoverWithin45Minutes;
import org.unimeros.examples.LoadingLists;
import org.unimeros.examples.ParcelJourneys;
import org.unimeros.examples.ScansPerMonthAndWeekday;
import org.unimeros.examples.WordsPerTier;

/** The examples, by the names under which they are called. */
enum Example {
    DAILY_SCANS(
            "daily-scans",
            "scans per depot and day: a thousand small JSON files to Parquet, a folder per day",
            "depot_days",
            "select depot_id, day, scans, arrivals, deliveries, round(mean_battery, 3) as mean_battery from dataset('%s')"
                    + " order by day, scans desc",
            DailyScansPerDepot::run),
    ENRICHED_PARCELS(
            "enriched-parcels",
            "parcels with what three other tables know of them: four inputs joined",
            "enriched_parcels",
            "select parcel_id, shipper, tier, depot, service, weight_kg, weight_class, zone from dataset('%s') order by parcel_id",
            EnrichedParcels::run),
    HANDOVERS(
            "handovers",
            "which arrivals were followed by a handover within 45 minutes: a left join with a time window",
            "handovers",
            "select depot_id, count(*) as arrivals, round(share(followed), 3) as followed_share from dataset('%s') group by depot_id"
                    + " order by arrivals desc",
            (engine, data, out) ->
                    HandoverWithin45Minutes.run(engine, data, out, LocalDate.of(2031, 3, 2), LocalDate.of(2031, 3, 4))),
    WORDS(
            "words",
            "words in delivery notes, counted apart by the tier of the shipper: map-reduce with an own partitioner",
            "words_per_tier",
            "select tier, word, times from dataset('%s') order by times desc, tier, word",
            WordsPerTier::run),
    JOURNEYS(
            "journeys",
            "the way of every parcel, from its scans in the order of their times: a secondary sort",
            "journeys",
            "select parcel_id, scans, minutes, longest_stop, delivered, depots from dataset('%s') order by scans desc, parcel_id",
            ParcelJourneys::run),
    ZONES(
            "zones",
            "parcels per delivery zone: an own function in an expression, with an attached file",
            "delivery_zones",
            "select zone, parcels, weight_g from dataset('%s') order by zone",
            DeliveryZones::run),
    WEEKDAYS(
            "weekdays",
            "scans per month and weekday, a folder each: reducers by months",
            "month_weekdays",
            "select month, weekday, day, scans, deliveries from dataset('%s') order by day",
            ScansPerMonthAndWeekday::run),
    LOADING_LISTS(
            "loading-lists",
            "lists of fixed width, written and read in a file format of the job, and an aggregate of its own",
            "loaded_per_day",
            "select posted_on, parcels, weight_g, apart_g from dataset('%s') order by posted_on",
            LoadingLists::run);

    /** The job of an example. */
    interface Job {
        Run run(Engine engine, Path data, Path out);
    }

    final String label;
    final String description;
    final String result;
    final String look;
    final Job job;

    Example(String label, String description, String result, String look, Job job) {
        this.label = label;
        this.description = description;
        this.result = result;
        this.look = look;
        this.job = job;
    }
}
