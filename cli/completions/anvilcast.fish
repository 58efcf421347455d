# fish completion for anvilcast
set -l commands start inspect openings yplus plan build study assess draw report improve convert demo
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a start -d 'a first case file for surfaces'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a inspect -d 'what is in surfaces, and what is wrong'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a openings -d 'the openings found'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a yplus -d 'first cell height from flow conditions'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a plan -d 'everything predicted, nothing meshed'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a build -d 'from a case file to a checked mesh'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a assess -d 'quality, limits, worst places'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a draw -d 'a picture of a mesh, a surface or sizes'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a report -d 'the report page of a build'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a improve -d 'raise the worst cells of a mesh'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a study -d 'variants side by side'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a convert -d 'between formats'
complete -c anvilcast -f -n "not __fish_seen_subcommand_from $commands" -a demo -d 'run a demo case'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -l json -d 'print JSON'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -s q -l quiet -d 'print nothing but errors'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -s v -l verbose -d 'tell each step'
complete -c anvilcast -n "__fish_seen_subcommand_from $commands" -l threads -x -d 'threads to use'
complete -c anvilcast -n "__fish_seen_subcommand_from start inspect openings yplus assess draw improve convert" -l unit -x -a 'm cm mm um km in ft'
complete -c anvilcast -n "__fish_seen_subcommand_from start" -s o -l out -r -d 'the case file'
complete -c anvilcast -n "__fish_seen_subcommand_from start" -l inside -d 'mesh what the bodies enclose'
complete -c anvilcast -n "__fish_seen_subcommand_from start" -l around -d 'mesh the flow round the bodies'
complete -c anvilcast -n "__fish_seen_subcommand_from start" -l speed -x -d 'of the flow'
complete -c anvilcast -n "__fish_seen_subcommand_from start" -l fluid -x -a 'air water' -d 'air or water'
complete -c anvilcast -n "__fish_seen_subcommand_from start" -l cells -x -d 'no more than so many'
complete -c anvilcast -n "__fish_seen_subcommand_from start" -l replace -d 'a case file that is there'
complete -c anvilcast -n "__fish_seen_subcommand_from build demo" -s o -l out -x -a '(__fish_complete_directories)'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect openings" -l split-angle -x -d 'divide zones at sharper edges'
complete -c anvilcast -n "__fish_seen_subcommand_from openings" -l join -x -d 'bodies this close to each other are one'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect openings convert" -l chord -x -d 'triangles stay within this of CAD faces'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect openings" -l patience -x -d 'seconds that reading CAD may take'
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l no-usual-limits -d 'hold it to the limits given alone'
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
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l wrap -r -d 'wrap and write'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l gap -x -d 'what is narrower is closed'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l inside -x -d 'wrap the volume round a place'
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l detail -x -d 'shorter edges are wrapped over'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l speed -x -d 'of the flow along the wall'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l length -x -d 'along the wall, or hydraulic diameter'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l target -x -d 'y+ to aim at'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l fluid -x -a 'air water' -d 'air or water'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l temperature -x -d 'of the fluid'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l density -x -d 'kg/m3'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l viscosity -x -d 'Pa s'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l pipe -d 'a pipe or duct'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l top -d 'y+ at the top of the first cell'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l growth -x -d 'of the layers'
complete -c anvilcast -n "__fish_seen_subcommand_from yplus" -l core-size -x -d 'edge length beyond the layers'
complete -c anvilcast -n "__fish_seen_subcommand_from plan" -l kept -r -d 'where builds keep stages'
complete -c anvilcast -n "__fish_seen_subcommand_from plan" -l print-case -d 'the whole case as it is understood'
complete -c anvilcast -n "__fish_seen_subcommand_from study" -s o -l out -r -d 'directory for the variants'
complete -c anvilcast -n "__fish_seen_subcommand_from study" -s j -l jobs -x -d 'builds at once'
complete -c anvilcast -n "__fish_seen_subcommand_from study" -l plan -d 'predict, build none'
complete -c anvilcast -n "__fish_seen_subcommand_from study" -l list -d 'a command for each variant'
complete -c anvilcast -n "__fish_seen_subcommand_from study" -l fresh -d 'build all of them'
complete -c anvilcast -n "__fish_seen_subcommand_from build" -l kept -r -d 'where stages are kept'
complete -c anvilcast -n "__fish_seen_subcommand_from build" -l fresh -d 'build all of it'
complete -c anvilcast -n "__fish_seen_subcommand_from build" -l until -x -a surface -d 'stop at the surface mesh'
complete -c anvilcast -n "__fish_seen_subcommand_from improve" -s o -l out -r -d 'the mesh to write'
complete -c anvilcast -n "__fish_seen_subcommand_from improve" -l target -x -d 'smallest dihedral angle to reach, degrees'
complete -c anvilcast -n "__fish_seen_subcommand_from improve" -l all -d 'better all tetrahedra'
complete -c anvilcast -n "__fish_seen_subcommand_from improve" -l more-cells -d 'allow more cells and points'
complete -c anvilcast -n "__fish_seen_subcommand_from build demo" -l full -d 'print all figures'
complete -c anvilcast -n "__fish_seen_subcommand_from demo" -l list
complete -c anvilcast -l help -s h -d 'options and an example'
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l limit -x
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l worst -x
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l histogram -x
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l groups
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l select -x
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l write -r
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l compare -r
complete -c anvilcast -n "__fish_seen_subcommand_from assess" -l metrics
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l colour -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l cut -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l worst -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l stack -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l histogram -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l view -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l at -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l across -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l only -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l limit -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l size -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l chord -x
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l defects
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l openings
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l sizes
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l no-edges
complete -c anvilcast -n "__fish_seen_subcommand_from draw" -l dark
complete -c anvilcast -n "__fish_seen_subcommand_from report" -l out -r
complete -c anvilcast -n "__fish_seen_subcommand_from inspect" -l page -r
