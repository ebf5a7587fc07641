/**
 * Java records and single values as columns, and back. Start at {@link RecordShape}. The conversion of a record is one method handle
 * over all of its components that stands as a constant in a class of its own ({@link Compiled}), so that the compiler of the platform
 * sees it as a whole. Knows data and errors only.
 */
package org.unimeros.engine.record;
