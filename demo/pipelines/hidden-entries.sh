#!/bin/sh
# How many hidden entries this folder has, . and .. left out
ls -a | grep '^\.' | grep -vcxE '\.\.?'
