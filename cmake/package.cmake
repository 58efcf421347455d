# Install rules and the CMake package: find_package(Anvilcast) gives Anvilcast::anvilcast
# (core, no file formats but STL), Anvilcast::anvilcast_io (CGNS, VTU), Anvilcast::anvilcast_pipeline (case files) and
# Anvilcast::anvilcast_figures (pictures, the report page).
include(CMakePackageConfigHelpers)

install(TARGETS anvilcast anvilcast_io anvilcast_pipeline anvilcast_figures anvilcast_flags EXPORT AnvilcastTargets
        ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY include/anvilcast DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(EXPORT AnvilcastTargets NAMESPACE Anvilcast::
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Anvilcast)
configure_package_config_file(cmake/AnvilcastConfig.cmake.in
  ${PROJECT_BINARY_DIR}/AnvilcastConfig.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Anvilcast)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/AnvilcastConfigVersion.cmake
  COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/AnvilcastConfig.cmake
              ${PROJECT_BINARY_DIR}/AnvilcastConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Anvilcast)
install(FILES LICENSE README.md DESTINATION ${CMAKE_INSTALL_DOCDIR})
