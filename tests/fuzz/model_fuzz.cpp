#include <hopcoil/io/gltf.hpp>

#include "reader.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const auto path = fuzz::file_of(data, size, ".gltf");
    return fuzz::read_or_refuse([&] { static_cast<void>(hopcoil::io::read_animations(path)); });
}
