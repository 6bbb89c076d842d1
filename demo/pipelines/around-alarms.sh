#!/bin/sh
# Each alarm of the winch with two lines before and behind it
grep -n -i -C 2 alarm winch.log
