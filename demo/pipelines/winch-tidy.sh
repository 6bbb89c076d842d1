#!/bin/sh
# The winch's log tidied by a sed script with comments
sed -f winch-tidy.sed winch.log
