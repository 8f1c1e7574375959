"""The kinds of spend files, one module each; `clabo/use/spend/files.py` lists them."""
