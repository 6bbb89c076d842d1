#!/bin/sh
# "motor" becomes "ENGINE" in whatever case it is written; only changed lines are shown
sed -n 's/motor/ENGINE/Ip' winch.log
