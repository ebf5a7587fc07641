package org.unimeros.engine.expr;

/**
 * The documentation of a function.
 *
 * @param usage how it is called, such as {@code substring(text, from [, length])}
 * @param kind value, aggregate or window
 * @param description what it gives, and what with nulls and values that do not fit
 * @param example a query, or an expression, that can be run as it stands
 * @param result the row that the example gives
 */
public record FunctionDoc(String name, String usage, String kind, String description, String example, String result) {}
