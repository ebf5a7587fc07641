package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.function.DoubleBinaryOperator;
import java.util.function.DoublePredicate;
import java.util.function.DoubleUnaryOperator;
import java.util.function.ToIntFunction;
import java.util.function.UnaryOperator;

/** Functions that kernels carry in them, and that travel with them. */
final class TravellingFunctions {

    private TravellingFunctions() {}

    interface OfDouble extends DoubleUnaryOperator, Serializable {}

    interface OfDoubles extends DoubleBinaryOperator, Serializable {}

    interface DoubleTest extends DoublePredicate, Serializable {}

    interface OfText extends UnaryOperator<String>, Serializable {}

    interface TextMeasure extends ToIntFunction<String>, Serializable {}
}
