# Sourced by the launchers: sets jdk to the home of the newest JDK that is found, or fails. Needs a function fail.
least=21

# The major version of a JDK, from its release file; nothing when it is none.
version_of() {
    [ -x "$1/bin/java" ] && [ -r "$1/release" ] || return 1
    local line
    while read -r line; do
        if [[ $line =~ ^JAVA_VERSION=\"(1\.)?([0-9]+) ]]; then
            printf '%s' "${BASH_REMATCH[2]}"
            return
        fi
    done <"$1/release"
}

# The newest JDK among: UNIMEROS_JAVA_HOME (which is taken as it is), JAVA_HOME, the one on the PATH, the usual folders.
find_jdk() {
    local best='' best_version=0 home version on_path=''
    if [ -n "${UNIMEROS_JAVA_HOME:-}" ]; then
        printf '%s' "$UNIMEROS_JAVA_HOME"
        return
    fi
    on_path=$(readlink -f "$(command -v java 2>/dev/null)" 2>/dev/null)
    for home in "${JAVA_HOME:-}" "${on_path%/bin/java}" /usr/lib/jvm/* /usr/java/* /opt/java/* /opt/jdk* \
        "$HOME"/.jdks/* /Library/Java/JavaVirtualMachines/*/Contents/Home; do
        [ -n "$home" ] || continue
        version=$(version_of "$home") || continue
        if [ -n "$version" ] && [ "$version" -gt "$best_version" ]; then
            best=$home
            best_version=$version
        fi
    done
    [ "$best_version" -ge "$least" ] && printf '%s' "$best"
}

HOME=${HOME:-/nonexistent}
jdk=$(find_jdk)
[ -n "$jdk" ] || fail "no JDK of version $least or newer was found; install one (Debian: apt install openjdk-21-jdk), or name one in UNIMEROS_JAVA_HOME"
