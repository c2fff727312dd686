"""Reading glTF 2.0 (Khronos: glTF 2.0 Specification): `container` has the JSON and the binary of a file, `models` what
is read of its objects, `document` gets at them and at numbers; `materials`, `meshes`, `own_polygons` and `nodes` make
of them what the file holds, `read` puts that together, and `losses` tells what was left out."""
