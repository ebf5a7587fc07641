package org.unimeros.engine.record;

import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/** Says which decimal a {@code BigDecimal} component makes; without it, one of 38 digits with 10 behind the point. */
@Retention(RetentionPolicy.RUNTIME)
@Target(ElementType.RECORD_COMPONENT)
public @interface DecimalDigits {
    /** All digits, 1 to 38. */
    int precision();

    /** Digits behind the point. */
    int scale();
}
