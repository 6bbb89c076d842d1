#!/bin/sh
# All items to one command; without -d '\n' the blank makes two of one
printf '%s\n' 'cabin 1' cabin-2 cabin-3 | xargs printf '<%s>\n'
