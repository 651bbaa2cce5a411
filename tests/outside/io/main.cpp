#include <cstdio>

#include <hopcoil/io/take_file.hpp>
#include <hopcoil/take/take.hpp>

// Reads a take and writes it as another file; the endings choose the formats.
int main(int argc, char** argv) {
    if (argc < 3) return 2;
    const hopcoil::Take take = hopcoil::io::read_take(argv[1]);
    hopcoil::io::write_take(argv[2], take);
    std::printf("%zu rows\n", take.row_count());
}
