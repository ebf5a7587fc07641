/**
 * Makes the demo data: a parcel network with depots, scanners, parcels, shippers and containers, all invented. It has
 * the troubles of real data: one shipper with 40 % of the parcels, one huge container, events that come late or never,
 * nulls, broken lines, a thousand tiny files. Start with {@link org.unimeros.examples.data.DemoData}.
 */
package org.unimeros.examples.data;
