#!/bin/sh
# The log of the winch with shorter times
ylotrope use stamp as -f '%d.%m. %H:%M:%S' winch.log
