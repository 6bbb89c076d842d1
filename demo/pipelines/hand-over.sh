#!/bin/sh
# For the morning shift: doors close earlier, a list of gates, a mark for each cabin to look at
sed -i 's/^door_lead.*/door_lead = 15/' station.conf
grep refused gate.log | cut -d' ' -f3 | sort | uniq -c | sort -rn | head -n 5 > worst-gates.txt
printf '%s\n' 'cabin 1' cabin-4 cabin-7 | xargs -d '\n' -n 1 touch
