# Sourced by the other scripts: installs what is missing, once.
# shellcheck shell=bash

build_packages=(g++ cmake ninja-build pkg-config libeigen3-dev libfmt-dev libcli11-dev
    libtomlplusplus-dev libcpp-httplib-dev libjs-dygraphs libjs-three nlohmann-json3-dev libtbb-dev libnlopt-dev libcminpack-dev catch2 liblapacke-dev libbenchmark-dev gnuplot-nox libcairo2-dev
    zlib1g-dev fonts-dejavu-core)
# shellcheck disable=SC2034  # by whoever sources this
test_packages=("${build_packages[@]}" clang clang-format clang-tidy lld git shellcheck
    libclang-rt-14-dev parallel python3-jsonschema chromium chromium-driver)
# The validator of models comes through npm; a machine may have that from elsewhere.
command -v npm >/dev/null || test_packages+=(nodejs npm)

is_installed() {
    [[ $(dpkg-query -W -f='${Status}' "$1" 2>/dev/null) == "install ok installed" ]]
}

# install_packages NAME...: those that are not there yet, as root or through sudo.
install_packages() {
    local missing=() as_root=()
    local package
    for package in "$@"; do
        is_installed "$package" || missing+=("$package")
    done
    ((${#missing[@]} > 0)) || return 0
    if ! command -v apt-get >/dev/null; then
        echo "These are needed: ${missing[*]}" >&2
        echo "They are Debian 12's names, and there is no apt-get here: install them by hand." >&2
        exit 1
    fi
    if ((EUID != 0)); then
        if ! command -v sudo >/dev/null; then
            echo "These packages are missing: ${missing[*]}" >&2
            echo "Run this script as root, or have root run: apt-get install ${missing[*]}" >&2
            exit 1
        fi
        as_root=(sudo)
    fi
    echo "installing ${missing[*]}"
    "${as_root[@]}" apt-get update -q
    "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive \
        apt-get install -q -y --no-install-recommends "${missing[@]}"
}
