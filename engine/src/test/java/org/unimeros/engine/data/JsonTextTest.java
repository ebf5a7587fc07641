package org.unimeros.engine.data;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.math.BigDecimal;
import java.time.Instant;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class JsonTextTest {

    @Test
    void valuesAreWrittenAsJson() {
        Map<String, Object> stop = new LinkedHashMap<>();
        stop.put("depot \"7\"", "Lindental\n");
        stop.put("at", Instant.parse("2031-03-04T05:06:07Z"));
        stop.put("weights", Arrays.asList(new BigDecimal("1.50"), null, 2.5, Double.NaN, 1.5f, true, 7L));
        assertEquals(
                "{\"depot \\\"7\\\"\":\"Lindental\\n\",\"at\":\"2031-03-04 05:06:07\","
                        + "\"weights\":[1.50,null,2.5,\"NaN\",1.5,true,7]}",
                JsonText.write(stop));
        assertEquals("[]", JsonText.write(List.of()));
        assertEquals("\"0aff\"", JsonText.write(Bytes.of((byte) 10, (byte) -1)));
    }

    private static String read(String json, String type) {
        return Parse.value(json, DataType.parse(type)).map(Object::toString).orElse("nothing");
    }

    @Test
    void jsonIsReadAsATypeOrNotAtAll() {
        String[][] cases = {
            {"[1, 2]", "int[]", "[1, 2]"},
            {" [1, \"2\"] ", "int[]", "[1, 2]"},
            {"[1, 2.5]", "int[]", "nothing"},
            {"[1, 2.5]", "decimal(5, 1)[]", "[1.0, 2.5]"},
            {"[true]", "int[]", "nothing"},
            {"[[1], null]", "bigint[][]", "[[1], null]"},
            {"[1] 2", "int[]", "nothing"},
            {"[1", "int[]", "nothing"},
            {"", "int[]", "nothing"},
            {"null", "int[]", "nothing"},
            {"1", "int[]", "nothing"},
            {"{\"A\": 1, \"c\": 2}", "struct(a int, b text)", "{a=1, b=null}"},
            {"{\"a\": [1]}", "struct(a text)", "{a=[1]}"},
            {"[]", "struct(a text)", "nothing"},
            {"[\"2031-03-04\", \"x\"]", "date[]", "nothing"},
            {"[\"08:15\"]", "time[]", "[08:15]"},
        };
        for (String[] c : cases) {
            assertEquals(c[2], read(c[0], c[1]), c[0] + " as " + c[1]);
        }
        assertEquals(Optional.empty(), Bytes.ofHex("0af"));
    }
}
