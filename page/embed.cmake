# Writes the source that holds the page's files: cmake -DOUT=... -DFILES=PATH|KIND|FILE,... -P
# The assembler takes in the bytes: compiling lists of them takes long.
set(text "#include \"page/assets.hpp\"\n\n#include <array>\n\n")
set(table "")
set(index 0)
string(REPLACE "," ";" files "${FILES}")
foreach(entry IN LISTS files)
  string(REPLACE "|" ";" parts "${entry}")
  list(GET parts 0 path)
  list(GET parts 1 kind)
  list(GET parts 2 file)
  set(name hopcoil_page_file_${index})
  string(APPEND text
         "extern \"C\" const char ${name}[];\nextern \"C\" const char ${name}_end[];\n"
         "asm(\".section .rodata\\n.global ${name}\\n.global ${name}_end\\n"
         "${name}:\\n.incbin \\\"${file}\\\"\\n${name}_end:\\n.byte 0\\n.previous\\n\");\n\n")
  string(APPEND table
         "        Asset{\"${path}\", \"${kind}\", {${name}, static_cast<std::size_t>(${name}_end - ${name})}},\n")
  math(EXPR index "${index} + 1")
endforeach()
string(APPEND text "namespace hopcoil::page {\n\n"
       "std::span<const Asset> assets() noexcept {\n"
       "    static const std::array all{\n${table}    };\n    return all;\n}\n\n"
       "}  // namespace hopcoil::page\n")
file(WRITE "${OUT}" "${text}")
