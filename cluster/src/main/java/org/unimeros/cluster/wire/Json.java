package org.unimeros.cluster.wire;

import com.fasterxml.jackson.annotation.JsonInclude;
import com.fasterxml.jackson.annotation.JsonTypeInfo;
import com.fasterxml.jackson.annotation.JsonValue;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.json.JsonMapper;
import com.fasterxml.jackson.databind.jsontype.NamedType;
import java.io.IOException;
import java.util.Locale;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.RunEvent;

/** Messages as JSON. Unknown members are ignored, so that newer processes can say more. */
public final class Json {

    private static final JsonMapper MAPPER = mapper();

    private Json() {}

    @JsonTypeInfo(use = JsonTypeInfo.Id.NAME, property = "event")
    private interface Named {}

    /** A constant that is written as it reads. */
    private interface Worded {
        @Override
        @JsonValue
        String toString();
    }

    private static JsonMapper mapper() {
        JsonMapper.Builder builder = JsonMapper.builder()
                .disable(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES)
                .addMixIn(Failure.Kind.class, Worded.class)
                .defaultPropertyInclusion(
                        JsonInclude.Value.construct(JsonInclude.Include.NON_NULL, JsonInclude.Include.ALWAYS))
                .addMixIn(RunEvent.class, Named.class)
                .addMixIn(Order.class, Named.class);
        for (Class<?> type : RunEvent.class.getPermittedSubclasses()) {
            builder.registerSubtypes(new NamedType(type, kebab(type.getSimpleName())));
        }
        for (Class<?> type : Order.class.getPermittedSubclasses()) {
            builder.registerSubtypes(new NamedType(type, kebab(type.getSimpleName())));
        }
        return builder.build();
    }

    private static String kebab(String name) {
        return name.replaceAll("(?<=[a-z])(?=[A-Z])", "-").toLowerCase(Locale.ROOT);
    }

    public static byte[] write(Object message) {
        try {
            return MAPPER.writeValueAsBytes(message);
        } catch (JsonProcessingException e) {
            throw new InternalFault("cannot write a message: " + e.getOriginalMessage(), e);
        }
    }

    /**
     * A message of a type.
     *
     * @throws ResourceFailure when it is none
     */
    public static <T> T read(byte[] json, Class<T> type) {
        try {
            T message = MAPPER.readValue(json, type);
            if (message == null) {
                throw new ResourceFailure("an empty message where " + type.getSimpleName() + " was expected");
            }
            return message;
        } catch (JsonProcessingException e) {
            throw new ResourceFailure(
                    "not a message of the form " + type.getSimpleName() + ": " + e.getOriginalMessage(), e);
        } catch (IOException e) {
            throw new ResourceFailure("cannot read a message: " + e.getMessage(), e);
        }
    }
}
