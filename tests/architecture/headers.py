#!/usr/bin/env python3
"""Every public header compiles alone, and stays light: see the budgets below, in lines of text once
all that it includes is read.

A header that includes all that another one includes cannot lean on it: such headers are checked one
after the other in one compilation, each as if it were alone.

usage: headers.py ROOT
"""

import os
import pathlib
import re
import subprocess
import sys
import tempfile

FLAGS = ("-std=c++20 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -Iinclude -Iio/include "
         "-Iscene/include -Itune/include -isystem /usr/include/eigen3").split()
FOLDERS = ("include", "io/include", "scene/include", "tune/include")
BUDGETS = {"hopcoil/follow/follower.hpp": 22000}
BUDGET = 47000


def compiled(scratch, names, *options, says=None):
    """What the compiler makes of a file that includes these; None if it refuses."""
    text = "".join(f"#include <{name}>\n" for name in names)
    run = subprocess.run(["c++", *FLAGS, f"-I{scratch}", *options, "-x", "c++", "-"], input=text,
                         stdout=subprocess.PIPE, stderr=says, text=True, check=False)
    return run.stdout if run.returncode == 0 else None


class Header:
    """What a header includes, itself among it, and how many lines that makes."""

    def __init__(self, scratch, name):
        text = compiled(scratch, [name], "-E") or ""
        self.name = name
        self.includes = set(re.findall(r'^# \d+ "([^"<]+)"', text, re.MULTILINE))
        self.lines = sum(1 for line in text.splitlines() if line and line[0] != "#")
        self.is_light = 0 < self.lines <= BUDGETS.get(name, BUDGET)


def rows_of(headers):
    """In each row every header includes all that the one before it does."""
    rows = []
    for header in sorted(headers, key=lambda one: len(one.includes)):
        fitting = [row for row in rows if row[-1].includes <= header.includes]
        if fitting:
            max(fitting, key=lambda row: len(row[-1].includes)).append(header)
        else:
            rows.append([header])
    return rows


def problems_of(scratch, names, says=None):
    headers = [Header(scratch, name) for name in names]
    found = [f"{header.name} makes {header.lines} lines, at most {BUDGETS.get(header.name, BUDGET)}"
             for header in headers if not header.is_light]
    for row in rows_of(headers):
        if compiled(scratch, [header.name for header in row], "-fsyntax-only", says=says) is None:
            found.append("one of these does not compile alone: "
                         + ", ".join(header.name for header in row))
    return found


def main():
    os.chdir(sys.argv[1])
    names = sorted(str(path.relative_to(folder))
                   for folder in FOLDERS for path in pathlib.Path(folder).rglob("*.hpp"))
    with tempfile.TemporaryDirectory() as scratch:
        # The check itself: a header that leans on another, and one that is too heavy.
        folder = pathlib.Path(scratch)
        (folder / "with_text.hpp").write_text("#pragma once\n#include <string>\n")
        (folder / "leaning.hpp").write_text("inline std::string text;\n")
        (folder / "heavy.hpp").write_text("".join(f"int heavy_{i};\n" for i in range(BUDGET + 1)))
        for bad in (["with_text.hpp", "leaning.hpp"], ["heavy.hpp"]):
            if not problems_of(scratch, bad, subprocess.DEVNULL):
                sys.exit(f"the check lets {bad} pass")
        problems = problems_of(scratch, names)
    print("\n".join(problems) or f"{len(names)} headers compile alone")
    sys.exit(1 if problems else 0)


if __name__ == "__main__":
    main()
