# Mapper: every word of a note, behind "shipper S parcel P:", with the note's shipper as its value.
{
    sub(/^shipper /, "")
    shipper = $1
    sub(/^[0-9]+ parcel [0-9]+: */, "")
    gsub(/[^a-z ]/, "")
    n = split($0, words, " ")
    for (i = 1; i <= n; i++) {
        print words[i] "\t" shipper
    }
    notes++
}
END {
    print "{\"group\": \"notes\", \"name\": \"read\", \"add\": " notes + 0 "}" > ENVIRON["UNIMEROS_COUNTERS"]
}
