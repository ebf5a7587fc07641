package org.unimeros.code;

/** A record that cannot be read, in a format of the job: it fails the run, is left out or is kept aside, as the setting bad-records says. */
@SuppressWarnings("serial")
public final class BadRecordException extends Exception {

    private final transient byte[] raw;

    /**
     * What is wrong.
     *
     * @param message what, and where in the file: "byte 120: the weight is no number"
     * @param raw the record as it stands in the file
     */
    public BadRecordException(String message, byte[] raw) {
        super(message);
        this.raw = raw.clone();
    }

    public byte[] raw() {
        return raw.clone();
    }
}
