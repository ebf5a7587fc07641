package org.unimeros.cluster.http;

import java.util.concurrent.TimeUnit;
import org.eclipse.jetty.io.Connection;
import org.eclipse.jetty.server.ServerConnector;

/** Closes connections on which no request has arrived in time: whoever sends one a byte at a time would keep it open for ever. */
final class SlowStarts implements Connection.Listener {

    private final ServerConnector connector;
    private final long patienceMillis;

    SlowStarts(ServerConnector connector, long patienceMillis) {
        this.connector = connector;
        this.patienceMillis = patienceMillis;
    }

    @Override
    public void onOpened(Connection connection) {
        connector
                .getScheduler()
                .schedule(
                        () -> {
                            if (connection.getMessagesIn() == 0) {
                                connection.close();
                            }
                        },
                        patienceMillis,
                        TimeUnit.MILLISECONDS);
    }

    @Override
    public void onClosed(Connection connection) {
        // nothing is kept of it
    }
}
