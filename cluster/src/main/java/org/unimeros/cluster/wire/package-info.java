/**
 * What processes say to each other: messages as JSON, plans and task reports in a binary form of their own that is confined to known
 * classes. Uses the engine and the formats of storage.
 */
package org.unimeros.cluster.wire;
