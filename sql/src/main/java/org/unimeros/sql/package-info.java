/**
 * SQL text to resolved expressions and logical plans. The text is parsed by JSqlParser; what it means is decided here.
 * Start with {@link org.unimeros.sql.SqlExpressions} and {@link org.unimeros.sql.SqlQuery}. No class of the parser
 * leaves this package.
 */
package org.unimeros.sql;
