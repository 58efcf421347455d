# bash completion for anvilcast
_anvilcast() {
    local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]} command=${COMP_WORDS[1]}
    local common="--help --json --quiet --verbose --threads"
    COMPREPLY=()
    if [ "$COMP_CWORD" -eq 1 ]; then
        COMPREPLY=($(compgen -W "start inspect openings yplus plan build study assess draw report improve convert demo --help --version" -- "$word"))
        return
    fi
    case $before in
        --unit) COMPREPLY=($(compgen -W "m cm mm um km in ft" -- "$word")); return ;;
        --out|-o)
            if [ "$command" = improve ] || [ "$command" = draw ] || [ "$command" = report ] || [ "$command" = start ]; then COMPREPLY=($(compgen -f -- "$word")); else COMPREPLY=($(compgen -d -- "$word")); fi
            return ;;
        --view) COMPREPLY=($(compgen -W "front back left right top bottom corner" -- "$word")); return ;;
        --colour) COMPREPLY=($(compgen -W "zone role type region size layers skewness smallest_dihedral orthogonality non_orthogonality volume_ratio" -- "$word")); return ;;
        --until) COMPREPLY=($(compgen -W "surface" -- "$word")); return ;;
        --fluid) COMPREPLY=($(compgen -W "air water" -- "$word")); return ;;
        --speed|--length|--target|--temperature|--density|--viscosity|--growth|--core-size) return ;;
        --mend|--write-defects|--page|--wrap) COMPREPLY=($(compgen -f -- "$word")); return ;;
        --tolerance|--weld|--stitch|--remove-needles|--drop-specks|--close-rims|--chord|--patience|--gap|--inside|--detail) return ;;
        --threads|--cells|--split-angle|--join|--limit|--worst|--histogram|--select|--cut|--stack|--at|--across|--only|--size) return ;;
    esac
    if [[ $word == -* ]]; then
        case $command in
            start) common+=" --out --unit --inside --around --speed --fluid --cells --replace" ;;
            inspect) common+=" --unit --split-angle --chord --patience --tolerance --volumes --page --write-defects --mend --weld --stitch --remove-needles --drop-specks --close-rims --wrap --gap --inside --detail --ascii" ;;
            openings) common+=" --unit --split-angle --chord --patience --join" ;;
            yplus) common+=" --unit --speed --length --target --fluid --temperature --density --viscosity --pipe --top --growth --core-size" ;;
            plan) common+=" --kept --print-case" ;;
            build) common+=" --out --until --full --fresh --kept" ;;
            assess) common+=" --unit --limit --no-usual-limits --worst --histogram --groups --select --write --compare --metrics" ;;
            draw) common+=" --unit --out --colour --cut --worst --stack --histogram --defects --openings --sizes --view --at --across --only --limit --size --no-edges --dark --chord" ;;
            report) common+=" --out" ;;
            improve) common+=" --unit --out --target --all --more-cells" ;;
            study) common+=" --out --jobs --plan --list --fresh" ;;
            convert) common+=" --unit --ascii --chord" ;;
            demo) common+=" --out --list --full" ;;
        esac
        COMPREPLY=($(compgen -W "$common" -- "$word"))
        return
    fi
    case $command in
        start|inspect|openings)
            local endings='!*.@([sS][tT][lL]|obj|ply|stl.gz|obj.gz|ply.gz|step|stp|iges|igs|brep|STEP|STP|IGES|IGS)'
            shopt -s extglob
            COMPREPLY=($(compgen -f -X "$endings" -- "$word") $(compgen -d -- "$word")) ;;
        plan|build) COMPREPLY=($(compgen -f -X '!*.toml' -- "$word") $(compgen -d -- "$word")) ;;
        demo) COMPREPLY=($(compgen -W "$(anvilcast demo --list 2>/dev/null)" -- "$word")) ;;
        *) COMPREPLY=($(compgen -f -- "$word")) ;;
    esac
}
complete -o filenames -F _anvilcast anvilcast
