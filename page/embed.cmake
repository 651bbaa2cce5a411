# Writes the files of the page into a source file: cmake -DOUT=... -DFILES=PATH|KIND|FILE;... -P
# A text in pieces, for compilers that end long ones early.
set(text "#include \"page/assets.hpp\"\n\n#include <array>\n\nnamespace hopcoil::page {\nnamespace {\n\n")
set(table "")
set(index 0)
string(REPLACE "," ";" files "${FILES}")
foreach(entry IN LISTS files)
  string(REPLACE "|" ";" parts "${entry}")
  list(GET parts 0 path)
  list(GET parts 1 kind)
  list(GET parts 2 file)
  file(READ "${file}" hex HEX)
  string(REGEX REPLACE "([0-9a-f][0-9a-f])" "'\\\\x\\1'," bytes "${hex}")
  string(APPEND text "constexpr char bytes_${index}[] = {${bytes}'\\0'};\n")
  string(APPEND table
         "    Asset{\"${path}\", \"${kind}\", {bytes_${index}, sizeof(bytes_${index}) - 1}},\n")
  math(EXPR index "${index} + 1")
endforeach()
string(APPEND text "\nconstexpr std::array all{\n${table}};\n\n}  // namespace\n\n"
       "std::span<const Asset> assets() noexcept {\n    return all;\n}\n\n"
       "}  // namespace hopcoil::page\n")
file(WRITE "${OUT}" "${text}")
