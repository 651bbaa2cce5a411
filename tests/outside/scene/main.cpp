#include <cstdio>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/take/take.hpp>

int main(int argc, char** argv) {
    if (argc < 2) return 2;
    hopcoil::Take take;
    hopcoil::scene::run(hopcoil::scene::read_scene(argv[1]), take);
    std::printf("%zu rows\n", take.row_count());
}
