#!/bin/sh
# Items to a command in pairs
printf '%s\n' 'cabin 1' cabin-2 cabin-3 | xargs -d '\n' -n 2 echo inspect
