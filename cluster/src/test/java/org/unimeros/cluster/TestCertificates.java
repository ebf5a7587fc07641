package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.util.Base64;
import java.util.HashMap;
import java.util.Map;
import org.unimeros.cluster.http.Tls;

/** Certificates that sign themselves, made by the tool of the JDK. */
final class TestCertificates {

    private static final String PASSWORD = "only-for-tests";

    private TestCertificates() {}

    /** Makes {@code NAME.pem} and {@code NAME.key} for a process at a place such as {@code ip:127.0.0.1}. */
    static void make(Path folder, String name, String place) {
        try {
            Path store = folder.resolve(name + ".p12");
            Process tool = new ProcessBuilder(
                            Path.of(System.getProperty("java.home"), "bin", "keytool")
                                    .toString(),
                            "-genkeypair",
                            "-alias",
                            "this",
                            "-keyalg",
                            "EC",
                            "-validity",
                            "2",
                            "-dname",
                            "CN=" + name,
                            "-ext",
                            "san=" + place,
                            "-storetype",
                            "PKCS12",
                            "-keystore",
                            store.toString(),
                            "-storepass",
                            PASSWORD)
                    .redirectErrorStream(true)
                    .start();
            String said = new String(tool.getInputStream().readAllBytes());
            assertEquals(0, tool.waitFor(), said);
            KeyStore keys = KeyStore.getInstance("PKCS12");
            try (InputStream in = Files.newInputStream(store)) {
                keys.load(in, PASSWORD.toCharArray());
            }
            pem(
                    folder.resolve(name + ".pem"),
                    "CERTIFICATE",
                    keys.getCertificate("this").getEncoded());
            pem(
                    folder.resolve(name + ".key"),
                    "PRIVATE KEY",
                    keys.getKey("this", PASSWORD.toCharArray()).getEncoded());
        } catch (IOException | GeneralSecurityException | InterruptedException e) {
            throw new AssertionError(e);
        }
    }

    private static void pem(Path file, String what, byte[] bytes) throws IOException {
        Files.writeString(
                file,
                "-----BEGIN " + what + "-----\n" + Base64.getMimeEncoder().encodeToString(bytes) + "\n-----END " + what
                        + "-----\n");
    }

    /** The variables of a process with a certificate and key of these names, which believes an authority; null for none of them. */
    static Map<String, String> variables(Path folder, String certificate, String key, String authority) {
        Map<String, String> variables = new HashMap<>();
        if (certificate != null) {
            variables.put(
                    Tls.CERTIFICATE_VARIABLE,
                    folder.resolve(certificate + ".pem").toString());
        }
        if (key != null) {
            variables.put(Tls.KEY_VARIABLE, folder.resolve(key + ".key").toString());
        }
        if (authority != null) {
            variables.put(
                    Tls.AUTHORITIES_VARIABLE, folder.resolve(authority + ".pem").toString());
        }
        return variables;
    }
}
