"""Checks TOML files against a JSON Schema.

usage: validate.py SCHEMA.json FILE.toml...
"""
import json
import sys
import tomllib

import jsonschema

with open(sys.argv[1], encoding="utf-8") as file:
    schema = json.load(file)
jsonschema.Draft202012Validator.check_schema(schema)
validator = jsonschema.Draft202012Validator(schema)
wrong = 0
for path in sys.argv[2:]:
    with open(path, "rb") as file:
        content = tomllib.load(file)
    for error in validator.iter_errors(content):
        wrong += 1
        print(f"{path}: {error.json_path}: {error.message[:300]}")
sys.exit(1 if wrong else 0)
