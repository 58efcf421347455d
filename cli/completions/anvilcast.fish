# fish completion for anvilcast
set -l commands inspect openings build assess convert demo
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a inspect -d 'what is in surfaces, and what is wrong'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a openings -d 'the openings found'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a build -d 'from a case file to a checked mesh'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a assess -d 'quality, limits, worst places'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a convert -d 'between formats'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a demo -d 'run a demo case'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -l json -d 'print JSON'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -s q -l quiet -d 'print nothing but errors'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -s v -l verbose -d 'tell each step'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -l threads -x -d 'threads to use'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect openings assess convert" -l unit -x -a 'm cm mm um km in ft'
complete -c anvilcast -n "__fish_seen_subcommand_from build demo" -s o -l out -x -a '(__fish_complete_directories)'
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l skewness -x
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l volume-growth -x
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l non-orthogonality -x
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l cells -x
complete -c anvilcast -n "__fish_seen_subcommand_from inspect openings" -l split-angle -x -d 'divide zones at sharper edges'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect openings convert" -l chord -x -d 'triangles stay within this of CAD faces'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect convert" -l ascii -d 'write text'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l tolerance -x -d 'closer is a crack or a near miss'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l volumes -d 'list every volume that the surfaces enclose'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l write-defects -r -d 'marks at all defects'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l mend -r -d 'mend and write'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l weld -x -d 'distance'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l stitch -x -d 'width of cracks'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l remove-needles -x -d 'height'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l drop-specks -x -d 'extent'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l close-rims -x -d 'extent'
complete -c anvilcast -n "__fish_seen_subcommand_from demo" -l list
complete -c anvilcast -l help -s h -d 'options and an example'
