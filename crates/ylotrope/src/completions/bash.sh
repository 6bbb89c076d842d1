# What only the program knows: filters, their options, kept runs, saved pipelines.
_ylotrope_all() {
    local current=${COMP_WORDS[COMP_CWORD]} asked=() found=() name rest
    case ${COMP_WORDS[1]}/$COMP_CWORD in
        use/2 | guide/2 | man/2) asked=(use) ;;
        use/*) [[ $current == -* ]] && asked=(use "${COMP_WORDS[2]}") ;;
        runs/3 | runs/4) asked=(runs) ;;
        run/2) [[ $current == -* ]] || asked=(scripts) ;;
    esac
    if ((${#asked[@]})); then
        # The shell quotes what is put in as it does file names. What is there may be quoted, too.
        [[ ${asked[0]} == scripts ]] && compopt -o filenames 2> /dev/null
        current=${current#[\"\']}
        current=${current//\\/}
        while IFS=$'\t' read -r name rest; do
            [[ $name == "$current"* ]] && found+=("$name")
        done < <("${COMP_WORDS[0]}" candidates "${asked[@]}" 2> /dev/null)
        COMPREPLY=("${found[@]}")
        return
    fi
    _ylotrope "$@"
}
complete -F _ylotrope_all -o bashdefault -o default ylotrope
