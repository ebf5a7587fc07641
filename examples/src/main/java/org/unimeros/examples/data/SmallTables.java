package org.unimeros.examples.data;

import java.io.BufferedWriter;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;

/** Writes the tables that do not grow: depots, postcodes and shippers as CSV; and the notes as text. */
final class SmallTables {

    private static final String[] PLACES = {
        "Nordkamp",
        "Lindental",
        "Ösenbrück",
        "Kärnau",
        "Sankt Elmen",
        "Rübenfeld",
        "Altmühle",
        "Wéberin",
        "Hohenlaus",
        "Torfmoor"
    };
    private static final String[] QUARTERS = {"Mitte", "Süd", "Am Hafen", "West", "Bahnhof"};
    private static final String[] TRADES = {"Lampen", "Kräuter", "Garne", "Räder", "Tee", "Noten", "Samen", "Papier"};
    private static final String[] TIERS = {"gold", "silver", "basic", "basic", "basic"};
    private static final String[] NOTES = {
        "left with the neighbour", "nobody at home, card left", "box slightly damaged", "handed over in person",
        "put into the locker", "address hard to find", "neighbour was not at home",
                "door code wrong, called the shipper"
    };

    private SmallTables() {}

    static void write(Path folder, Network network) throws IOException {
        depots(folder.resolve("depots.csv"), network.chance());
        postcodes(folder.resolve("postcodes.csv"));
        shippers(folder.resolve("shippers.csv"), network.chance());
        notes(Files.createDirectories(folder.resolve("notes")).resolve("notes.txt"), network);
    }

    private static void depots(Path path, Chance chance) throws IOException {
        try (BufferedWriter out = Files.newBufferedWriter(path)) {
            out.write("depot_id,name,capacity,opened_on,manager\n");
            for (int d = 1; d <= Network.DEPOTS; d++) {
                String place = PLACES[d % PLACES.length];
                String name = d % 4 == 0
                        ? "\"" + place + ", " + QUARTERS[d % QUARTERS.length] + "\""
                        : d % 7 == 0 ? "\"\"\"Zum " + place + "\"\"\"" : place + " " + d;
                String manager = d % 5 == 0 ? "" : "M. " + chance.one("manager", d, TRADES);
                out.write(Network.depotText(d) + "," + name + "," + (2000 + 500 * chance.number("capacity", d, 20))
                        + "," + (2009 + d % 20) + "-0" + (1 + d % 9) + "-15," + manager + "\n");
            }
        }
    }

    private static void postcodes(Path path) throws IOException {
        try (BufferedWriter out = Files.newBufferedWriter(path)) {
            out.write("postcode,place,zone,depot_id\n");
            for (int p = 0; p < Network.POSTCODES; p++) {
                String depot = Network.depotText(Network.depotOfPostcode(p));
                String zone = "Z" + (1 + p % 6);
                out.write(Network.postcodeText(p) + "," + PLACES[p % PLACES.length] + "," + zone + "," + depot + "\n");
            }
        }
    }

    private static void shippers(Path path, Chance chance) throws IOException {
        try (BufferedWriter out = Files.newBufferedWriter(path)) {
            out.write("shipper_id,name,tier,since,contact\n");
            for (int s = 1; s <= Network.SHIPPERS; s++) {
                String trade = chance.one("trade", s, TRADES);
                String place = chance.one("seat", s, PLACES);
                String name = s % 9 == 0 ? "\"" + trade + " & Söhne, " + place + "\"" : trade + " " + place + " " + s;
                String contact = chance.happens("no contact", s, 300) ? "" : "desk" + s + "@shipper.example";
                String tier = s == Network.BUSY_SHIPPER ? "gold" : chance.one("tier", s, TIERS);
                out.write(s + "," + name + "," + tier + "," + (2015 + s % 15) + "-01-01," + contact + "\n");
            }
        }
    }

    private static void notes(Path path, Network network) throws IOException {
        try (BufferedWriter out = Files.newBufferedWriter(path)) {
            for (long parcel = 0; parcel < network.parcels; parcel += 10) {
                String note = network.chance().one("note", parcel, NOTES);
                out.write("shipper " + network.shipper(parcel) + " parcel " + (parcel + 1) + ": " + note + "\n");
            }
        }
    }
}
