/** What `estampe help` prints. */
export const HELP = `estampe: displacement maps from a sculpt, measured and proven

  estampe check     MESH [--before EARLIER] [--sculpt HIGH] [--size W] [--padding PX]
  estampe convert   IN -o OUT [--uv-set NAME]            by endings: obj ply stl glb gltf usda usdz
                    mends: [--weld auto|D] [--drop-pieces SHARE] [--turn-flipped] [--shift-islands] [--refine-once]
  estampe subdivide BASE -o OUT --levels N [--limit] [SURFACE]
  estampe transfer  LOW SCULPT -o DIR [--levels N] [--reach auto|R] [--format obj|ply|...] [SURFACE]
  estampe recover   DENSE -o DIR [--levels N] [--format obj|ply|...] [SURFACE]
  estampe settle    BASE TOP -o OUT [SURFACE]
  estampe unwrap    MESH -o OUT [--seams groups|auto|SEAMS.json] [--size W] [--margin PX] [--tiles N] [--weights GROUP=W,...] [--layout PNG]
                    SEAMS.json: { "edges": [[point, point], ...] }, points counted from 0
  estampe extract   --low LOW --sculpt HIGH --map scalar|vector|normal|occlusion|hollows|curvature|thickness|colour -o FIELD.exr
                    [--size W|WxH] [--base limit|polygons|level:K] [--match auto|stack|rays|closest] [--reach auto|R]
                    [--samples N] [--padding PX|fill] [--tile 1001|all] [--match-seams] [SURFACE]
                    scalar, vector, normal: [--fit-texels]
                    vector: [--frame derivative|mikk|object]   normal: [--frame mikk|object]
                    occlusion: [--rays N] [--distance D] [--seed N] [--share-rays no]      thickness: [--distance D]
                    hollows, curvature: [--radius auto|R]      colour: [--colour-space sRGB|linear] [--shade occlusion|hollows [--strength 0.5]]
                    all but scalar and vector: [--for-heights], read where a height map puts the surface (normals stay in the frame of
                    the mesh before it is displaced: shading with the displaced normal counts the form twice)
  estampe encode    FIELD.exr -o OUT.(exr|tif|png) [--depth 8|16|half|float] [--midpoint M|exact] [--scale S]
                    [--fit measured|symmetric|full|clip:SHARE[,rounded]]
                    vector: [--axes "R=+U G=+V B=+N"] [--ranges shared|each]     normal: [--green up|down] [--keep-blue yes|no]
  estampe proof     --low LOW --map FILE --sculpt HIGH [--kind scalar|vector|normal] [--subdivisions R] [--tolerance T|T%]
                    [--midpoint M] [--scale S] [--axes ORDER] [--base B] [--frame derivative|mikk|object] [--green up|down]
                    [--keep-blue yes|no] [--filter bilinear|nearest] [--field FIELD.exr] [SURFACE]
                    a normal map's tolerance is in degrees
  estampe deliver   RECIPE.json -o DIR

  SURFACE = [--boundary edge-and-corner|edge-only] [--uv linear|corners|boundaries|smooth]
  Every command: [--json REPORT.json] [-j THREADS]
  Several UV tiles: write <UDIM> where the tile number goes in a file name.
  Exit codes: 0 done, 1 tolerance not met, 2 bad input, options or place to write to, 3 internal error, 130 cancelled.
`;
