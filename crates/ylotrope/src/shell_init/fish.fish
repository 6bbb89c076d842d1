# Ylotrope at the prompt of fish: Alt-i takes the line into the Bench and brings it back edited.
# Nothing is run. Another key: bind \cxi __ylotrope_line
function __ylotrope_line
    set -l line (commandline | string collect)
    # One text, with its newlines; nothing comes where the line is to stay as it was.
    set -l text (PROGRAM --print --line="$line" < /dev/tty | string collect --no-trim-newlines)
    and commandline -r -- "$text"
    commandline -f repaint
end
bind \ei __ylotrope_line
