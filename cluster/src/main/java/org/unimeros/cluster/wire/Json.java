package org.unimeros.cluster.wire;

import com.fasterxml.jackson.annotation.JsonInclude;
import com.fasterxml.jackson.annotation.JsonTypeInfo;
import com.fasterxml.jackson.annotation.JsonValue;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.DeserializationContext;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonMappingException;
import com.fasterxml.jackson.databind.SerializerProvider;
import com.fasterxml.jackson.databind.deser.std.StdDeserializer;
import com.fasterxml.jackson.databind.json.JsonMapper;
import com.fasterxml.jackson.databind.jsontype.NamedType;
import com.fasterxml.jackson.databind.module.SimpleModule;
import com.fasterxml.jackson.databind.ser.std.StdSerializer;
import java.io.IOException;
import java.util.Locale;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunEventJson;

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
                .addModule(events())
                .addMixIn(Order.class, Named.class);
        for (Class<?> type : Order.class.getPermittedSubclasses()) {
            builder.registerSubtypes(new NamedType(type, kebab(type.getSimpleName())));
        }
        return builder.build();
    }

    /** Events have the form that they have in records. */
    private static SimpleModule events() {
        SimpleModule module = new SimpleModule();
        module.addSerializer(RunEvent.class, new StdSerializer<>(RunEvent.class) {
            @Override
            public void serialize(RunEvent event, JsonGenerator out, SerializerProvider provider) throws IOException {
                RunEventJson.write(event, out);
            }
        });
        module.addDeserializer(RunEvent.class, new StdDeserializer<>(RunEvent.class) {
            /** Null for an event of a later version. */
            @Override
            public RunEvent deserialize(JsonParser parser, DeserializationContext context) throws IOException {
                try {
                    return RunEventJson.read(parser).orElse(null);
                } catch (ClassCastException | NullPointerException | IllegalArgumentException e) {
                    throw JsonMappingException.from(parser, "not an event of a run", e);
                }
            }
        });
        return module;
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
