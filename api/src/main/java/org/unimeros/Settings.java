package org.unimeros;

import java.io.IOException;
import java.io.Reader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Properties;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.stage.PlanSettings;

/** Values of all {@link Setting}s. Immutable; checked when they are set. */
public final class Settings {

    private final Map<String, String> values;

    private Settings(Map<String, String> values) {
        this.values = values;
    }

    /** Every setting as it is when nobody sets it. */
    public static Settings defaults() {
        Map<String, String> values = new LinkedHashMap<>();
        Setting.all().forEach(s -> values.put(s.name(), s.defaultValue()));
        return new Settings(values);
    }

    /**
     * These settings with one changed.
     *
     * @throws UserMistake when there is no such setting, with the near names, or the value does not fit
     */
    public Settings with(String name, String value) {
        return with(name, value, "setting " + name);
    }

    private Settings with(String name, String value, String where) {
        Setting setting = Setting.all().stream()
                .filter(s -> s.name().equals(name))
                .findFirst()
                .orElseThrow(() -> new UserMistake(
                        "unknown setting " + name + (where.equals("setting " + name) ? "" : " in " + where)
                                + NameSuggestions.hint(name, names())));
        try {
            setting.check().accept(value);
        } catch (IllegalArgumentException e) {
            throw new UserMistake(where + " needs " + e.getMessage() + ", but found '" + value + "'", e);
        }
        Map<String, String> changed = new LinkedHashMap<>(values);
        changed.put(name, value.strip());
        return new Settings(changed);
    }

    private static List<String> names() {
        return Setting.all().stream().map(Setting::name).toList();
    }

    /** These settings with those of a file of lines {@code name = value}. */
    public Settings withFile(Path file) {
        Properties properties = new Properties();
        try (Reader in = Files.newBufferedReader(file)) {
            properties.load(in);
        } catch (IOException | IllegalArgumentException e) {
            throw new ResourceFailure("cannot read the settings file " + file + ": " + e.getMessage(), e);
        }
        Settings changed = this;
        for (String name : properties.stringPropertyNames().stream().sorted().toList()) {
            changed = changed.with(name, properties.getProperty(name), file.toString());
        }
        return changed;
    }

    /** These settings with those that environment variables set. */
    public Settings withEnvironment(Map<String, String> environment) {
        Settings changed = this;
        for (Setting setting : Setting.all()) {
            String value = environment.get(setting.environmentVariable());
            changed = value == null ? changed : changed.with(setting.name(), value, setting.environmentVariable());
        }
        return changed;
    }

    public String get(String name) {
        String value = values.get(name);
        if (value == null) {
            throw new UserMistake("unknown setting " + name + NameSuggestions.hint(name, names()));
        }
        return value;
    }

    /** All values, by name. */
    public Map<String, String> asMap() {
        return Map.copyOf(values);
    }

    PlanSettings forPlans() {
        return new PlanSettings(
                bytes(Setting.SPLIT_TARGET),
                bytes(Setting.COPY_LIMIT),
                (int) whole(Setting.SHUFFLE_PARTS),
                get(Setting.JOIN_SWAP.name()).equals("on"),
                get(Setting.JOIN_ORDER.name()).equals("size"),
                !get(Setting.WRITE_TOGETHER.name()).equals("off"),
                get(Setting.SHUFFLE_CUT.name()).equals("on"));
    }

    RunSettings forRuns() {
        int slots = (int) whole(Setting.SLOTS);
        long budget = bytes(Setting.MEMORY_BUDGET);
        return new RunSettings(
                slots == 0 ? Runtime.getRuntime().availableProcessors() : slots,
                (int) whole(Setting.TASK_ATTEMPTS),
                bytes(Setting.PART_TARGET),
                budget == 0 ? Runtime.getRuntime().maxMemory() / 2 : budget,
                BadRecordPolicy.valueOf(get(Setting.BAD_RECORDS.name()).toUpperCase(Locale.ROOT)),
                whole(Setting.BAD_RECORDS_LIMIT),
                whole(Setting.JOIN_PAIRS_LIMIT),
                get(Setting.JOIN_OVER_LIMIT.name()).equals("fail"),
                (int) whole(Setting.RUN_PRIORITY),
                (int) whole(Setting.RUN_SLOT_LIMIT),
                Setting.millis(get(Setting.TASK_TIME_LIMIT.name())));
    }

    /** Whether a run that replaces data also replaces what was published since it began. */
    boolean replacesOnTop() {
        return get(Setting.WRITE_CONFLICT.name()).equals("replace");
    }

    long keepReplacedMillis() {
        return Setting.millis(get(Setting.WRITE_KEEP_REPLACED.name()));
    }

    long bytes(Setting setting) {
        return Setting.bytes(get(setting.name()), 0);
    }

    long whole(Setting setting) {
        return Setting.whole(get(setting.name()), 0, Long.MAX_VALUE);
    }
}
