# Settings every target of ours links to. Packages' headers come as SYSTEM and are not judged by them.
add_library(wyc_settings INTERFACE)
target_compile_options(wyc_settings INTERFACE
    -Wall -Wextra -Wpedantic -Wconversion -Wsign-conversion -Wshadow -Wnon-virtual-dtor -Woverloaded-virtual
    -Werror
    $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict> $<$<CXX_COMPILER_ID:GNU>:-Wno-maybe-uninitialized>) # GCC 12 sees overlaps in std::string, and empty optionals, that are not there
if(WYC_SANITIZE)
    target_compile_options(wyc_settings INTERFACE -fsanitize=${WYC_SANITIZE} -fno-omit-frame-pointer
        -fno-sanitize-recover=all)
    target_link_options(wyc_settings INTERFACE -fsanitize=${WYC_SANITIZE})
    if(WYC_SANITIZE MATCHES "address.*undefined")
        # The address checks find these as well, or the processor does not mind; they take 40 % of the compiler's time.
        target_compile_options(wyc_settings INTERFACE -fno-sanitize=null,object-size,alignment)
    endif()
endif()

set(CMAKE_CXX_FLAGS_RELEASE "-O2 -DNDEBUG")
find_program(WYC_CCACHE ccache)
if(WYC_CCACHE)
    # With precompiled headers ccache has to look at what they are made of, not at when.
    set(CMAKE_CXX_COMPILER_LAUNCHER ${CMAKE_COMMAND} -E env CCACHE_SLOPPINESS=pch_defines,time_macros,include_file_mtime,include_file_ctime
        CCACHE_BASEDIR=${CMAKE_SOURCE_DIR} CCACHE_NOHASHDIR=1 ${WYC_CCACHE})
endif()
find_program(WYC_LLD ld.lld)
if(WYC_LLD)
    add_link_options(-fuse-ld=lld)
endif()

find_package(Threads REQUIRED)
find_package(TBB REQUIRED)
find_package(fmt REQUIRED)
find_package(spdlog REQUIRED)
find_package(nlohmann_json REQUIRED)
find_package(tl-expected REQUIRED)
find_package(FastFloat REQUIRED)
find_package(Eigen3 REQUIRED NO_MODULE)
find_package(PkgConfig REQUIRED)
pkg_check_modules(MURMURHASH REQUIRED IMPORTED_TARGET libmurmurhash)
pkg_check_modules(XXHASH REQUIRED IMPORTED_TARGET libxxhash)
pkg_check_modules(LZ4 REQUIRED IMPORTED_TARGET liblz4)
find_package(ZLIB REQUIRED)
find_package(Imath REQUIRED)
