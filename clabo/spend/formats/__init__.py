"""The kinds of spend files, one module each; `clabo/spend/files.py` lists them."""
