#!/bin/sh
# A here-document with the script's arguments: the gate, and who asks
set -- "${1:-gate-17}" "${2:-the night warden}"
cat <<NOTE
To $2:
$1 has refused $(grep -c " $1 .* refused" gate.log) passages.
NOTE
