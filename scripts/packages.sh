# Sourced by the other scripts: installs Debian packages that are missing, as root or through sudo.

# What the build needs; then what the tests need besides.
build_packages=(g++ cmake ninja-build libtbb-dev libfmt-dev zlib1g-dev libcgns-dev libhdf5-dev libpugixml-dev
                libcairo2-dev pkg-config libjs-three libtomlplusplus-dev nlohmann-json3-dev libcli11-dev libeigen3-dev libgmp-dev libxxhash-dev
                libocct-data-exchange-dev libocct-ocaf-dev libocct-modeling-algorithms-dev libocct-modeling-data-dev
                libocct-foundation-dev)
test_packages=(libgtest-dev librapidcheck-dev cgns-convert python3-vtk9 man-db)
# For the second compiler and the fuzz targets.
clang_packages=(clang libclang-rt-14-dev)
# For the test of the pages, which is skipped where these cannot be had.
browser_packages=(chromium chromium-driver python3-selenium)

install_missing() {
    local missing=() package
    for package in "$@"; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
    done
    if [ ${#missing[@]} -eq 0 ]; then
        echo "== packages: all there"
        return
    fi
    local as_root=()
    if [ "$(id -u)" -ne 0 ]; then
        command -v sudo >/dev/null || { echo "These packages are missing, and there is no sudo to install them: ${missing[*]}" >&2; exit 3; }
        as_root=(sudo)
    fi
    echo "== packages: installing ${missing[*]}"
    "${as_root[@]}" apt-get update -qq
    "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}
