#!/bin/sh
# Alarms go into a file of their own, everything else goes on
sed -e '/alarm/Iw alarms.txt' -e '/alarm/Id' winch.log > quiet.txt
