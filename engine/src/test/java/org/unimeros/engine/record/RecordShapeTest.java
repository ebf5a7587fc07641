package org.unimeros.engine.record;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;

class RecordShapeTest {

    enum Kind {
        ARRIVAL,
        DEPARTURE
    }

    record Place(double x, double y, String name) {}

    record Scan(
            boolean late,
            Boolean checked,
            int attempts,
            Integer floor,
            long parcelId,
            Long weight,
            float charge,
            Float rest,
            double speed,
            Double tilt,
            String depot,
            @DecimalDigits(precision = 9, scale = 2) BigDecimal price,
            LocalDate day,
            LocalTime time,
            Instant at,
            Kind kind,
            Place place,
            List<String> notes,
            List<Place> stops) {}

    private static <T> List<T> thereAndBack(RecordShape<T> shape, List<T> objects) {
        BatchBuilder builder = new BatchBuilder(shape.schema());
        for (T object : objects) {
            shape.append(builder, 0, object);
            builder.endRow();
        }
        Batch batch = builder.build();
        RecordShape.Reader<T> reader = shape.reader(shape.schema());
        reader.use(batch, 0);
        List<T> read = new ArrayList<>();
        for (int row = 0; row < batch.rowCount(); row++) {
            read.add(reader.read(row));
        }
        return read;
    }

    private static <X> X maybe(Random random, X value) {
        return random.nextInt(3) == 0 ? null : value;
    }

    private static Place place(Random r) {
        return maybe(r, new Place(r.nextDouble(), -r.nextInt(5), maybe(r, "bay " + r.nextInt(9))));
    }

    private static Scan scan(Random r) {
        return new Scan(
                r.nextBoolean(),
                maybe(r, r.nextBoolean()),
                r.nextInt(),
                maybe(r, r.nextInt()),
                r.nextLong(),
                maybe(r, r.nextLong()),
                r.nextFloat(),
                maybe(r, r.nextFloat()),
                r.nextDouble(),
                maybe(r, r.nextDouble()),
                maybe(r, "D" + r.nextInt(30)),
                maybe(r, BigDecimal.valueOf(r.nextInt(1_000_000), 2)),
                maybe(r, LocalDate.ofEpochDay(r.nextInt(40_000))),
                maybe(r, LocalTime.ofSecondOfDay(r.nextInt(86_400))),
                maybe(r, Instant.ofEpochSecond(r.nextInt(), r.nextInt(1_000_000) * 1000L)),
                maybe(r, Kind.values()[r.nextInt(2)]),
                place(r),
                maybe(r, Arrays.asList("fragile", null, "n" + r.nextInt(3))),
                maybe(r, Arrays.asList(place(r), place(r))));
    }

    @Test
    void recordsOfEveryTypeComeBackAsTheyWere() {
        Random random = new Random(11);
        List<Scan> scans = new ArrayList<>();
        for (int i = 0; i < 2000; i++) {
            scans.add(scan(random));
        }
        assertEquals(scans, thereAndBack(RecordShape.of(Scan.class), scans));
    }

    @Test
    void theColumnsAreThoseOfTheComponents() {
        Schema schema = RecordShape.of(Scan.class).schema();
        assertEquals("parcel_id", schema.field(4).name());
        assertEquals(DataType.LONG, schema.field(4).type());
        assertEquals(new DataType.Decimal(9, 2), schema.field(11).type());
        assertEquals(
                "struct(x double, y double, name text)", schema.field(16).type().toString());
        assertEquals(new DataType.ListOf(DataType.TEXT), schema.field(17).type());
    }

    @Test
    void singleValuesAreOneColumn() {
        assertEquals(List.of("a", "b"), thereAndBack(RecordShape.of(String.class), List.of("a", "b")));
        assertEquals(List.of(1L, -7L), thereAndBack(RecordShape.of(Long.class), List.of(1L, -7L)));
        assertEquals(List.of(Kind.DEPARTURE), thereAndBack(RecordShape.of(Kind.class), List.of(Kind.DEPARTURE)));
        byte[] bytes = {1, 0, -1};
        assertArrayEquals(
                bytes,
                thereAndBack(RecordShape.of(byte[].class), List.of(bytes)).get(0));
        assertNull(thereAndBack(RecordShape.of(Long.class), Arrays.asList((Long) null))
                .get(0));
    }

    record Parcel(long parcelId, Double weightKg) {}

    private static final Schema ROWS = new Schema(List.of(
            Field.of("weight_kg", DataType.INT),
            Field.of("shipper", DataType.TEXT),
            Field.of("parcel_id", DataType.INT)));

    @Test
    void componentsFindTheirColumnsByNameAndWidenNumbers() {
        RecordShape<Parcel> shape = RecordShape.of(Parcel.class);
        List<Integer> columns = shape.columnsIn(ROWS);
        assertEquals(List.of(2, 0), columns);
        BatchBuilder builder = new BatchBuilder(ROWS);
        builder.column(0).appendInt(12);
        builder.column(1).appendText("S1");
        builder.column(2).appendInt(77);
        builder.endRow();
        builder.column(0).appendNull();
        builder.column(1).appendNull();
        builder.column(2).appendNull();
        builder.endRow();
        Batch batch = builder.build();
        RecordShape.Reader<Parcel> reader =
                shape.reader(new Schema(columns.stream().map(ROWS::field).toList()));
        reader.use(batch.pick(new int[] {2, 0}), 0);
        assertEquals(new Parcel(77, 12.0), reader.read(0));
        BadData isNull = assertThrows(BadData.class, () -> reader.read(1));
        assertTrue(
                isNull.getMessage().startsWith("parcel_id is null in a row, and a primitive cannot be"),
                isNull.getMessage());
    }

    record Lost(long parcelIdd) {}

    record Narrow(int weight) {}

    record Wrong(Thread courier) {}

    record Chain(Chain next) {}

    record Empty() {}

    record Priced(BigDecimal price) {}

    private static String mistake(Runnable action) {
        return assertThrows(UserMistake.class, action::run).getMessage();
    }

    @Test
    void whatDoesNotFitIsRefusedWithComponentAndColumn() {
        assertEquals(
                "the component parcelIdd of Lost has no column; did you mean parcel_id?",
                mistake(() -> RecordShape.of(Lost.class).columnsIn(ROWS)));
        Schema weights = new Schema(List.of(Field.of("weight", DataType.LONG)));
        assertEquals(
                "the column weight is long, and the component weight of Narrow is to be int; declare it for long, or cast"
                        + " the column",
                mistake(() -> RecordShape.of(Narrow.class).columnsIn(weights)));
        assertTrue(mistake(() -> RecordShape.of(Wrong.class))
                .startsWith("there is no column type for the component courier of Wrong, a java.lang.Thread; use"));
        assertTrue(mistake(() -> RecordShape.of(Chain.class)).endsWith("holds itself, for which there are no columns"));
        assertEquals("the record Empty has no component", mistake(() -> RecordShape.of(Empty.class)));
        assertEquals(
                "a Long is read from one column, and there are 3 (weight_kg, shipper, parcel_id); select one",
                mistake(() -> RecordShape.of(Long.class).columnsIn(ROWS)));
    }

    @Test
    void decimalsThatDoNotFitAreBadData() {
        RecordShape<Priced> shape = RecordShape.of(Priced.class);
        assertEquals(
                List.of(new Priced(new BigDecimal("12.5000000000"))),
                thereAndBack(shape, List.of(new Priced(new BigDecimal("12.5")))));
        BadData fine = assertThrows(
                BadData.class, () -> thereAndBack(shape, List.of(new Priced(new BigDecimal("0.00000000001")))));
        assertTrue(fine.getMessage().contains("more than 10 digits behind the point"), fine.getMessage());
        assertThrows(BadData.class, () -> thereAndBack(shape, List.of(new Priced(BigDecimal.TEN.pow(30)))));
    }

    record Fussy(int number) {
        static final AtomicInteger MADE = new AtomicInteger();

        Fussy {
            MADE.incrementAndGet();
            if (number < 0) {
                throw new IllegalArgumentException("no " + number);
            }
        }
    }

    @Test
    void whatTheConstructorThrowsComesThrough() {
        Schema numbers = new Schema(List.of(Field.of("number", DataType.INT)));
        BatchBuilder builder = new BatchBuilder(numbers);
        builder.column(0).appendInt(-4);
        builder.endRow();
        RecordShape.Reader<Fussy> reader = RecordShape.of(Fussy.class).reader(numbers);
        reader.use(builder.build(), 0);
        assertThrows(IllegalArgumentException.class, () -> reader.read(0));
        assertEquals(1, Fussy.MADE.get());
    }
}
