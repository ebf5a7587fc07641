package org.unimeros.cli;

import org.unimeros.Setting;
import org.unimeros.Settings;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "settings",
        description = {
            "Lists the settings with their values.",
            "A value comes from, the last one counts: the default; the settings file (--settings, or"
                    + " unimeros.properties in this folder); environment variables; --set and other options."
        },
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  UNIMEROS_SLOTS=1 unimeros settings --set split.target=64MB")
final class SettingsCommand extends ConsoleCommand {

    @Mixin
    EngineOptions options = new EngineOptions();

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    @Override
    public Integer call() {
        Settings settings = options.settings(console);
        for (Setting setting : Setting.all()) {
            console.out().println(json ? json(setting, settings) : text(setting, settings));
        }
        return ExitCode.DONE;
    }

    private static String text(Setting setting, Settings settings) {
        String value = settings.get(setting.name());
        String other = value.equals(setting.defaultValue()) ? "" : " (default " + setting.defaultValue() + ")";
        return setting.name() + " = " + value + other + "\n    " + setting.description() + "\n    "
                + setting.environmentVariable();
    }

    private static String json(Setting setting, Settings settings) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("name", setting.name());
            g.writeStringField("value", settings.get(setting.name()));
            g.writeStringField("default", setting.defaultValue());
            g.writeStringField("unit", setting.unit());
            g.writeStringField("description", setting.description());
            g.writeStringField("variable", setting.environmentVariable());
            g.writeEndObject();
        });
    }
}
