package org.unimeros.cluster.job;

import java.io.IOException;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.util.Arrays;
import java.util.logging.Level;
import java.util.logging.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;

/**
 * Calls the main class of a job. The process ends with the one that launched it, however that came about: its standard input is a pipe
 * that nobody writes to, and that ends. What goes wrong is told apart by the exit code, as the command does.
 */
public final class MainProgram {

    /** The program fails with an exception of its own. */
    static final int FAILED = 1;
    /** It has no main class of that name. */
    static final int NO_PROGRAM = 2;

    static final int USER_MISTAKE = 3;
    static final int BAD_DATA = 4;
    static final int RESOURCE = 5;
    static final int CANCELLED = 6;
    static final int INTERNAL = 70;

    private static final org.slf4j.Logger LOG = LoggerFactory.getLogger(MainProgram.class);
    /** Held, so that their levels stay: what this product and its libraries do is of no interest in the log of a job. */
    private static final Logger[] QUIET = {Logger.getLogger("org.unimeros"), Logger.getLogger("org.eclipse.jetty")};

    private MainProgram() {}

    /** The first argument is the class, the others are for it. */
    public static void main(String[] args) throws IllegalAccessException {
        for (Logger logger : QUIET) {
            logger.setLevel(Level.WARNING);
        }
        Thread watch = new Thread(MainProgram::endWithLauncher, "unimeros-launcher");
        watch.setDaemon(true);
        watch.start();
        Method main = find(args[0]);
        try {
            main.invoke(null, (Object) Arrays.copyOfRange(args, 1, args.length));
        } catch (InvocationTargetException e) {
            int code = tell(e.getCause());
            System.err.flush();
            System.exit(code);
        }
    }

    private static Method find(String name) {
        try {
            Method main = Class.forName(name).getMethod("main", String[].class);
            if (Modifier.isStatic(main.getModifiers())) {
                // Its class need not be public.
                main.setAccessible(true);
                return main;
            }
            System.err.println("unimeros: the main method of " + name + " is not static");
        } catch (ClassNotFoundException e) {
            System.err.println("unimeros: there is no class " + name
                    + " in the job's jars; name another one as the main class of the job");
        } catch (NoSuchMethodException e) {
            System.err.println("unimeros: " + name + " has no method main(String[])");
        } catch (LinkageError e) {
            System.err.println("unimeros: the class " + name + " cannot be loaded: " + e);
        }
        System.exit(NO_PROGRAM);
        throw new IllegalStateException("the process has ended");
    }

    /** Says what went wrong, in a line where it is of the families that users know, and returns the exit code. */
    private static int tell(Throwable why) {
        if (why instanceof UnimerosException known) {
            System.err.println("unimeros: " + known.getMessage());
            return switch (known) {
                case UserMistake e -> USER_MISTAKE;
                case BadData e -> BAD_DATA;
                case ResourceFailure e -> RESOURCE;
                case InternalFault e -> INTERNAL;
            };
        }
        if (why instanceof RunCancelledException) {
            System.err.println("unimeros: " + why.getMessage());
            return CANCELLED;
        }
        if (why instanceof OutOfMemoryError) {
            System.err.println("unimeros: the main program has no memory left; give it more: --set main.memory=2GB");
            return RESOURCE;
        }
        why.printStackTrace();
        return FAILED;
    }

    private static void endWithLauncher() {
        try {
            while (System.in.read() >= 0) {
                // nothing is said
            }
        } catch (IOException e) {
            LOG.debug("that is the end as well", e);
        }
        Runtime.getRuntime().halt(CANCELLED);
    }
}
