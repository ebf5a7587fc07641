"""Reducer: keys come in order; prints each word, how often it was used, and by how many shippers."""
import sys


def report(word, count, shippers):
    print(f"{word} {count} {len(shippers)}")


word, count, shippers = None, 0, set()
for line in sys.stdin:
    key, _, shipper = line.rstrip("\n").partition("\t")
    if key != word:
        if word is not None:
            report(word, count, shippers)
        word, count, shippers = key, 0, set()
    count += 1
    shippers.add(shipper)
if word is not None:
    report(word, count, shippers)
