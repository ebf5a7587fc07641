# Sourced by the launchers: sets jvm to the options that every JVM of the project has.
jvm=(--enable-native-access=ALL-UNNAMED -XX:+UseParallelGC)

# Joins and groups read memory in no order, for which large pages are better; asked for where the system gives them to those who ask.
read -r pages 2>/dev/null </sys/kernel/mm/transparent_hugepage/enabled || pages=''
[[ $pages != *'[madvise]'* ]] || jvm+=(-XX:+UseTransparentHugePages)
