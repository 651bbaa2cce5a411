#include <hopcoil/io/take_file.hpp>

#include "reader.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const auto path = fuzz::file_of(data, size, ".json");
    return fuzz::read_or_refuse([&] { static_cast<void>(hopcoil::io::read_take(path)); });
}
