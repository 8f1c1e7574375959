"""What it takes to make twenty changes on a page of 6,000 elements, in headless Chromium; beside it plain script that does the same."""

from __future__ import annotations

import json
import statistics
import subprocess
import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from playwright.sync_api import sync_playwright

from bench.common import table
from clabo.core.splits.changes import read_changes
from clabo.testing.browsing import CHROMIUM

LOADS = 60
PAGE = "<!doctype html><title>x</title>" + "".join(
    f"<section id=s{n}><h2 id=h{n}>Words {n}</h2><a id=a{n} href=/x>on</a><img id=i{n} src='data:,'>"
    f"<p id=p{n}>Bees for people <b>who</b> have none.</p><div id=d{n}></div></section>"
    for n in range(1000)
)
CHANGES: list[dict[str, Any]] = [
    *({"words": {"selector": f"#h{n}", "text": f"Other words {n}"}} for n in range(5)),
    *({"link": {"selector": f"#a{n}", "to": "/order"}} for n in range(3)),
    *({"picture": {"selector": f"#i{n}", "address": "/b.png"}} for n in range(3)),
    *({"hide": {"selector": f"#p{n}"}} for n in range(3)),
    *({"style": {"selector": f"#h{n}", "property": "color", "value": "#123456"}} for n in range(10, 13)),
    *({"move": {"selector": f"#d{n}", "place": "before", "of": f"#h{n}"}} for n in range(20, 22)),
    {"block": {"selector": "#s30", "place": "after", "template": "panel", "title": "More", "text": "Of it"}},
]
PLAIN = """() => {
  const $ = (at) => document.querySelector(at);
  for (let n = 0; n < 5; n++) $(`#h${n}`).firstChild.data = `Other words ${n}`;
  for (let n = 0; n < 3; n++) { $(`#a${n}`).href = "/order"; $(`#i${n}`).src = "/b.png";
    $(`#p${n}`).style.setProperty("display", "none", "important"); }
  for (let n = 10; n < 13; n++) $(`#h${n}`).style.setProperty("color", "#123456", "important");
  for (let n = 20; n < 22; n++) $(`#h${n}`).before($(`#d${n}`));
  const box = document.createElement("div"); box.append("More", "Of it"); $("#s30").after(box);
}"""
BUILD = """
import { build } from "vite";
await build({ configFile: false, logLevel: "error", root: process.argv[2], build: { outDir: process.argv[3], target: "es2020",
  lib: { entry: "src/changing/keeping.ts", formats: ["iife"], name: "changing", fileName: () => "changing.js" } } });
"""


def script() -> str:
    """The part of the tag that makes changes, as it is built."""
    with tempfile.TemporaryDirectory() as folder:
        builder = settings.BASE_DIR / "web" / "node_modules" / ".bench-changing.mjs"
        builder.write_text(BUILD)
        try:
            tag = str(settings.BASE_DIR / "tag")
            subprocess.run(["node", str(builder), tag, folder], check=True)
        finally:
            builder.unlink()
        return (Path(folder) / "changing.js").read_text()


def main() -> None:
    changes = json.dumps([c.for_tag() for c in read_changes(CHANGES)])
    assert len(CHANGES) == 20
    code = script()
    ours = f"() => new changing.Keeper({changes}, () => {{}}).keep()"
    times: dict[str, list[float]] = {"Clabo's tag": [], "plain script": []}
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        for _ in range(LOADS):
            for name, made in (("Clabo's tag", ours), ("plain script", PLAIN)):
                page = browser.new_page()
                page.set_content(PAGE)
                page.evaluate(code + "; window.changing = changing")
                spent = page.evaluate(
                    f"() => {{ const began = performance.now(); ({made})(); return performance.now() - began }}"
                )
                assert page.inner_text("#h3") == "Other words 3" and page.is_hidden("#p2")
                times[name].append(spent)
                page.close()
        browser.close()
    table(
        ["20 changes on a page of 6,000 elements, first time", "median ms", "worst ms"],
        [[name, f"{statistics.median(of):.2f}", f"{max(of):.2f}"] for name, of in times.items()],
    )


if __name__ == "__main__":
    main()
