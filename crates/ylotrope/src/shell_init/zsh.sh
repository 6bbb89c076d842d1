# Ylotrope at the prompt of zsh: Alt-i takes the line into the Bench and brings it back edited.
# Nothing is run. Another key: bindkey '^Xi' ylotrope-line
ylotrope-line() {
    local text
    # The x keeps newlines at the end, which $( ) would take away.
    if text=$(PROGRAM --print --line="$BUFFER" < /dev/tty && printf x); then
        BUFFER=${text%x}
        CURSOR=${#BUFFER}
    fi
    zle reset-prompt
}
zle -N ylotrope-line
bindkey '\ei' ylotrope-line
