# What only the program knows: filters, their options, kept runs, saved pipelines.
_ylotrope() {
    local -a asked found
    if (( CURRENT == 2 )) && [[ $words[CURRENT] != -* ]]; then
        _ylotrope_commands
        _files
        return
    fi
    case "$words[2]/$CURRENT" in
        (use/3 | guide/3 | man/3) asked=(use) ;;
        (use/*)
            if [[ $words[CURRENT] == -* ]]; then
                asked=(use $words[3])
            else
                _files
                return
            fi
            ;;
        (runs/4 | runs/5) asked=(runs) ;;
        (run/3) [[ $words[CURRENT] == -* ]] || asked=(scripts) ;;
    esac
    if (( $#asked )); then
        found=(${(f)"$($words[1] candidates $asked 2> /dev/null)"})
        found=(${found//\\/\\\\})
        found=(${found//:/\\:})
        found=(${found//$'\t'/:})
        _describe -V 'choice' found && return
        _files
        return
    fi
    _ylotrope_made "$@"
}
