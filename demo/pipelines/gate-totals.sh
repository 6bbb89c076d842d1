#!/bin/sh
# For each gate: passed, refused and the share of refusals
awk '{ all[$3]++; if ($5 == "refused") refused[$3]++ }
     END { for (gate in all) printf "%s %6d %5d %5.1f %%\n", gate, all[gate] - refused[gate], refused[gate], 100 * refused[gate] / all[gate] }' gate.log |
     sort
