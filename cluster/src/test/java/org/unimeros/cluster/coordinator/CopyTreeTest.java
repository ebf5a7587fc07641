package org.unimeros.cluster.coordinator;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.HashMap;
import java.util.Map;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.unimeros.cluster.wire.Messages.CopySource;

/** Who asks whom for what all read. */
class CopyTreeTest {

    private static final int WORKERS = 100;

    @Test
    void nobodyIsAskedByMoreThanAFewAndEverybodyIsReachedInFewSteps() {
        CopyTree tree = new CopyTree();
        Map<String, String> urls = new HashMap<>();
        Map<String, Integer> askedBy = new TreeMap<>();
        Map<String, Integer> depth = new HashMap<>();
        for (int w = 0; w < WORKERS; w++) {
            urls.put("w" + w, "http://depot-" + w + ":1");
        }
        for (int w = 0; w < WORKERS; w++) {
            String url = urls.get("w" + w);
            CopySource source = tree.source(3, "w" + w, WORKERS, urls);
            assertEquals(source, tree.source(3, "w" + w, WORKERS, urls));
            askedBy.merge(String.valueOf(source.url()), 1, Integer::sum);
            depth.put(url, source.url() == null ? 1 : depth.get(source.url()) + 1);
        }
        assertTrue(askedBy.values().stream().allMatch(n -> n <= CopyTree.FAN_OUT), askedBy.toString());
        assertTrue(depth.values().stream().allMatch(d -> d <= 6), depth.toString());
    }

    @Test
    void onlyThoseHandOnWhoWillBeAsked() {
        CopyTree tree = new CopyTree();
        Map<String, String> urls = Map.of("w1", "u1", "w2", "u2", "w3", "u3");
        assertTrue(tree.source(1, "w1", 3, urls).hands());
        assertFalse(tree.source(1, "w2", 3, urls).hands());
        assertEquals("u1", tree.source(1, "w3", 3, urls).url());
        // With a stage that is released its tree goes.
        tree.forget(1);
        assertNull(tree.source(1, "w3", 3, urls).url());
    }
}
