#!/bin/sh
# Alarms of the winch, in capitals, with their line numbers
grep -n -i alarm winch.log | tr a-z A-Z
