#!/bin/sh
# A pipeline's step: every character of a folder for every target, what changed alone; to be run by any build server.
#   CAST=characters TARGETS="headset-deck quayside-crowd" OUT=delivered sh docs/examples/deliver.sh
# Keep OUT from run to run (as a cache of the pipeline); show OUT/rules.xml as test results; hand OUT on as its product.
# Commit BASELINE beside the characters: a number that gets worse than there ends the pipeline.
set -u
CAST="${CAST:?a folder or archive of characters}"
TARGETS="${TARGETS:?ids of targets or files of them, with blanks between}"
OUT="${OUT:-delivered}"
BASELINE="${BASELINE:-baseline.json}"
JOBS="${JOBS:-2}"
DIMETRA="${DIMETRA:-./dimetra}"

set --
for target in $TARGETS; do set -- "$@" --target "$target"; done
mkdir -p "$OUT"
"$DIMETRA" convert "$CAST" "$@" --jobs "$JOBS" --out "$OUT" --junit "$OUT/rules.xml" --baseline "$BASELINE"
code=$?
case $code in
  0) echo "Everything can be delivered from $OUT." ;;
  2) echo "Dimetra was asked for something that isn't there: see above." >&2 ;;
  3) echo "A character can't be read: see above. The others are done." >&2 ;;
  4) echo "A rule blocks, or a number is worse than in $BASELINE: see $OUT/rules.xml." >&2 ;;
  *) echo "Dimetra ended with $code." >&2 ;;
esac
exit $code
