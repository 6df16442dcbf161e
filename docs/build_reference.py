"""Build the API reference, and a page of the examples with the pictures they make: `python docs/build_reference.py FOLDER`.

The reference is pdoc's, from the docstrings; the examples are run, each in its own folder.
"""

from __future__ import annotations

import ast
import subprocess
import sys
from html import escape
from pathlib import Path

REPOSITORY = Path(__file__).parents[1]
EXAMPLES = sorted((REPOSITORY / "examples").glob("*.py"))
PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Irodori: examples</title><style>
body {{ font: 16px/1.5 system-ui, sans-serif; max-width: 1100px; margin: 2rem auto; padding: 0 1rem; color: #222 }}
pre {{ background: #f4f2ee; padding: 1rem; overflow-x: auto; font-size: 13px }}
figure {{ display: inline-block; margin: 0 1rem 1rem 0 }} img {{ max-width: 340px; display: block }}
figcaption {{ font-size: 13px; color: #666 }}
</style></head><body><h1>Examples</h1><p><a href="irodori.html">Reference</a></p>
{parts}</body></html>
"""


def part_of(script: Path, pictures: Path) -> str:
    """An example's text, code and pictures, as HTML."""
    subprocess.run([sys.executable, str(script)], cwd=pictures, check=True)
    about = ast.get_docstring(ast.parse(script.read_text(encoding="utf-8"))) or ""
    figures = "".join(
        f'<figure><img src="pictures/{script.stem}/{p.name}" alt=""><figcaption>{escape(p.name)}</figcaption></figure>'
        for p in sorted((pictures / script.stem).glob("*.png"))
    )
    title = escape(script.stem.replace("_", " ").capitalize())
    code = escape(script.read_text(encoding="utf-8"))
    return f"<h2>{title}</h2><p>{escape(about)}</p>{figures}<pre>{code}</pre>"


def main() -> None:
    if len(sys.argv) != 2:
        sys.exit(__doc__)
    import pdoc
    import pdoc.render

    folder = Path(sys.argv[1]).absolute()
    pictures = folder / "pictures"
    pictures.mkdir(parents=True, exist_ok=True)
    pdoc.render.configure(docformat="numpy")
    pdoc.pdoc("irodori", output_directory=folder)
    parts = "\n".join(part_of(script, pictures) for script in EXAMPLES)
    (folder / "examples.html").write_text(PAGE.format(parts=parts), encoding="utf-8")
    print(f"wrote {folder / 'irodori.html'} and {folder / 'examples.html'}")


if __name__ == "__main__":
    main()
