# Installs the libraries with their headers, the command with its demo data, and what finds them.

set(hopcoil_cmake_dir ${CMAKE_INSTALL_LIBDIR}/cmake/hopcoil)

install(TARGETS hopcoil_core hopcoil_same_bits EXPORT hopcoilCoreTargets)
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/ DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(EXPORT hopcoilCoreTargets NAMESPACE hopcoil:: DESTINATION ${hopcoil_cmake_dir})

if(TARGET hopcoil_io)
  install(TARGETS hopcoil_io EXPORT hopcoilIoTargets)
  install(DIRECTORY ${PROJECT_SOURCE_DIR}/io/include/ DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
  install(EXPORT hopcoilIoTargets NAMESPACE hopcoil:: DESTINATION ${hopcoil_cmake_dir})
endif()

if(TARGET hopcoil_scene)
  install(TARGETS hopcoil_scene EXPORT hopcoilSceneTargets)
  install(DIRECTORY ${PROJECT_SOURCE_DIR}/scene/include/
          DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
  install(EXPORT hopcoilSceneTargets NAMESPACE hopcoil:: DESTINATION ${hopcoil_cmake_dir})
endif()

if(TARGET hopcoil_tune)
  install(TARGETS hopcoil_tune EXPORT hopcoilTuneTargets)
  install(DIRECTORY ${PROJECT_SOURCE_DIR}/tune/include/ DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
  install(EXPORT hopcoilTuneTargets NAMESPACE hopcoil:: DESTINATION ${hopcoil_cmake_dir})
endif()

if(TARGET hopcoil_tool)
  install(TARGETS hopcoil_tool)
  install(DIRECTORY ${PROJECT_SOURCE_DIR}/scenes DESTINATION ${CMAKE_INSTALL_DATADIR}/hopcoil)
endif()

configure_package_config_file(
  ${CMAKE_CURRENT_LIST_DIR}/hopcoilConfig.cmake.in ${PROJECT_BINARY_DIR}/hopcoilConfig.cmake
  INSTALL_DESTINATION ${hopcoil_cmake_dir})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/hopcoilConfigVersion.cmake
                                 COMPATIBILITY SameMinorVersion)
# From the pkg-config file back to the prefix, however deep the library folder is.
file(RELATIVE_PATH hopcoil_up_to_prefix /prefix/${CMAKE_INSTALL_LIBDIR}/pkgconfig /prefix)
configure_file(${CMAKE_CURRENT_LIST_DIR}/hopcoil.pc.in ${PROJECT_BINARY_DIR}/hopcoil.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/hopcoilConfig.cmake
              ${PROJECT_BINARY_DIR}/hopcoilConfigVersion.cmake DESTINATION ${hopcoil_cmake_dir})
install(FILES ${PROJECT_BINARY_DIR}/hopcoil.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
