# The toolkits of the OpenCASCADE CAD kernel that are used, by themselves: its CMake package would have everything linked that
# they could ever draw with (GL, X11, fonts).
function(find_cad_toolkits result)
  foreach(toolkit ${ARGN})
    find_library(OCCT_${toolkit} ${toolkit} REQUIRED)
    list(APPEND found ${OCCT_${toolkit}})
  endforeach()
  set(${result} ${found} PARENT_SCOPE)
endfunction()

find_path(OpenCASCADE_INCLUDE_DIR Standard.hxx PATH_SUFFIXES opencascade REQUIRED)
find_cad_toolkits(OpenCASCADE_READERS
  TKXDESTEP TKXDEIGES TKXCAF TKLCAF TKCAF TKCDF TKSTEP TKSTEPBase TKIGES TKXSBase TKMesh TKShHealing TKTopAlgo TKGeomAlgo TKBRep
  TKGeomBase TKG3d TKG2d TKMath TKernel)
# To make models: for the demo's geometry and the tests.
find_cad_toolkits(OpenCASCADE_MODELLING TKSTEPAttr TKBool TKBO TKPrim)
