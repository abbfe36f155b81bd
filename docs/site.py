"""Build the documentation as a site: every page of this folder, the README, and the reference of the package.

    python docs/site.py OUT

writes pages that need nothing from elsewhere: styles are in each page, pictures are copied beside them, links between
pages lead to each other. The reference is made by pdoc from the docstrings. Needs the extra ``docs``.
"""

import html
import re
import shutil
import subprocess
import sys
from pathlib import Path

from markdown_it import MarkdownIt
from markdown_it.token import Token
from pygments import highlight
from pygments.formatters import HtmlFormatter
from pygments.lexers import get_lexer_by_name
from pygments.util import ClassNotFound

DOCS = Path(__file__).parent
ROOT = DOCS.parent

# The pages in the order of the menu, under what they are for.
MENU: dict[str, dict[str, str]] = {
    "Begin": {"index": "What Comb is", "first-hour": "The first hour", "how-to": "How to do what"},
    "Do": {
        "loading": "Loading and saving", "documents": "Workbooks and JSON", "reshape": "From sheets to tidy tables",
        "pictures": "Seeing it", "compare": "Comparing groups", "python": "Among Python's own things",
        "large": "Files larger than memory", "plans": "Plans",
    },
    "Look up": {
        "command-line": "Command line", "steps": "Steps", "language": "Language", "types": "Types",
        "findings": "Findings", "dataset": "Dataset folder", "glossary": "Glossary",
        "words": "What it is called elsewhere",
        "errors": "From an error to what to do", "reference/comb": "Python reference",
    },
    "Know": {
        "trust": "What Comb trusts", "performance": "Performance", "architecture": "How it is built",
        "CHANGELOG": "Changes",
    },
}  # fmt: skip

# Modules that users import from, for the reference.
MODULES = (
    "comb", "comb.interface.table", "comb.interface.row_methods", "comb.interface.column_methods",
    "comb.interface.repair_methods", "comb.interface.layout_methods", "comb.interface.looking_methods",
    "comb.tables.table", "comb.tables.column", "comb.tables.types", "comb.tables.rows", "comb.interface.plan",
    "comb.plans.outcome", "comb.profiling.profile", "comb.profiling.finding", "comb.interface.picture",
    "comb.interface.report", "comb.errors",
)  # fmt: skip


def slug_of(text: str, used: set[str]) -> str:
    """Return the anchor of a heading, as repositories make them."""
    base = re.sub(r"[^\w\- ]", "", text.lower()).strip().replace(" ", "-")
    slug, number = base, 1
    while slug in used:
        slug, number = f"{base}-{number}", number + 1
    used.add(slug)
    return slug


def coloured(code: str, language: str, _attributes: str) -> str:
    """Return a block of code with colours; outputs have none."""
    try:
        lexer = get_lexer_by_name({"sh": "bash", "console": "bash"}.get(language, language))
    except ClassNotFound:
        return html.escape(code)
    return str(highlight(code, lexer, HtmlFormatter(nowrap=True)))


def page_html(text: str, name: str) -> tuple[str, str]:
    """Return the title and the body of a page."""
    markdown = MarkdownIt("commonmark", {"highlight": coloured}).enable("table")
    tokens = markdown.parse(text)
    used: set[str] = set()
    title = name
    for at, token in enumerate(tokens):
        if token.type == "heading_open":
            inline = tokens[at + 1]
            words = "".join(child.content for child in inline.children or [] if child.type in ("text", "code_inline"))
            slug = slug_of(words, used)
            token.attrSet("id", slug)
            title = words if token.tag == "h1" else title
        if token.type == "table_open":
            token.attrSet("class", "table")
        for child in token.children or []:
            _lead(child)
    body = markdown.renderer.render(tokens, markdown.options, {})
    body = body.replace('<table class="table">', '<div class="wide"><table>').replace("</table>", "</table></div>")
    return title, body


def _lead(token: Token) -> None:
    """Make a link between Markdown pages one between pages of the site."""
    for attribute in ("href", "src"):
        target = token.attrGet(attribute)
        if isinstance(target, str) and "://" not in target:
            path, mark, anchor = target.partition("#")
            path = path.removeprefix("docs/").removeprefix("../")
            path = "index.md" if path == "README.md" else path
            if path.endswith(".md"):
                path = f"{path.removesuffix('.md')}.html"
            token.attrSet(attribute, f"{path}{mark}{anchor}")


def menu_html(current: str) -> str:
    """Return the menu, with the current page marked."""
    parts = []
    for heading, pages in MENU.items():
        parts.append(f"<b>{html.escape(heading)}</b>")
        for name, label in pages.items():
            here = ' aria-current="page"' if name == current else ""
            parts.append(f'<a href="{name}.html"{here}>{html.escape(label)}</a>')
    return "\n".join(parts)


def build(out: Path) -> None:
    """Write the site into a folder, which is made anew."""
    shutil.rmtree(out, ignore_errors=True)
    out.mkdir(parents=True)
    colours = HtmlFormatter().get_style_defs("pre")
    dark = HtmlFormatter(style="github-dark").get_style_defs("pre")
    style = (DOCS / "site.css").read_text(encoding="utf-8")
    style += (
        f"{colours}\n@media (prefers-color-scheme: dark) {{ {dark} }}\npre {{ background: var(--code) !important }}"
    )
    pages = {"index": ROOT / "README.md", "CHANGELOG": ROOT / "CHANGELOG.md", "CONTRIBUTING": ROOT / "CONTRIBUTING.md"}
    pages |= {path.stem: path for path in sorted(DOCS.glob("*.md"))}
    for name, path in pages.items():
        title, body = page_html(path.read_text(encoding="utf-8"), name)
        (out / f"{name}.html").write_text(
            f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8">'
            f'<meta name="viewport" content="width=device-width, initial-scale=1"><title>{html.escape(title)}</title>'
            f'<style>{style}</style></head><body><div class="frame"><nav aria-label="Pages">{menu_html(name)}</nav>'
            f"<main>{body}</main></div></body></html>\n",
            encoding="utf-8",
        )
    shutil.copytree(DOCS / "screenshots", out / "screenshots")
    shutil.copytree(ROOT / "examples", out / "examples", ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "LICENSE", out / "LICENSE")
    command = [
        sys.executable,
        "-m",
        "pdoc",
        "--docformat",
        "numpy",
        "--output-directory",
        str(out / "reference"),
        *MODULES,
    ]
    subprocess.run(command, check=True)
    check(out)


def check(out: Path) -> None:
    """Raise an error if a link or picture of the pages is not there, or a page needs something from elsewhere."""
    wrong = []
    for page in sorted(out.glob("*.html")):
        text = page.read_text(encoding="utf-8")
        for target in re.findall(r'(?:href|src)="([^"]+)"', text):
            path, _, anchor = html.unescape(target).partition("#")
            if "://" in target:
                if f'src="{target}"' in text:
                    wrong.append(f"{page.name}: {target} is from elsewhere")
                continue
            place = page if not path else out / path
            if not place.exists():
                wrong.append(f"{page.name}: there is no {target}")
            elif anchor and place.suffix == ".html" and f'id="{anchor}"' not in place.read_text(encoding="utf-8"):
                wrong.append(f"{page.name}: there is no place {target}")
    if wrong:
        raise SystemExit("\n".join(wrong))


if __name__ == "__main__":
    build(Path(sys.argv[1]))
