"""Bring the catalogs up to date: collect every template, keep what is translated, print how much that is.

Templates come from ``msg(...)`` in the program, from tables entered as data, and from the papers' templates.
A translation whose English changed stays in the file as obsolete, so that it can be taken over by hand.
"""

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).parent.parent
PROGRAM = ROOT / "src" / "orange_crank"
SCREENS = ROOT / "frontend" / "src" / "language"
WORDS = PROGRAM / "core" / "words"
TABLES = PROGRAM / "core" / "tables"
# Which fields of a table are words for people.
FIELDS = {
    "plain_words.json": None,
    "diagnosis_tests.json": {"title", "plain_step", "how"},
    "likelihoods.json": {"title", "fix", "plain"},
}
NOT_WORDS = {"about"}
LOCALES = ("es",)


def _of_table(data: Any, fields: set[str] | None, name: str = "") -> Iterator[str]:
    if isinstance(data, dict):
        for key, value in data.items():
            if key not in NOT_WORDS:
                yield from _of_table(value, fields, key)
    elif isinstance(data, list):
        for value in data:
            yield from _of_table(value, fields, name)
    elif isinstance(data, str) and data and (fields is None or name in fields):
        yield data


def collected() -> Catalog:
    """Return every template of the program, with the places it is written."""
    found = Catalog(project="Orange Crank", fuzzy=False)
    how = [("**.py", "python"), ("**.html", "jinja2")]
    for name, line, text, _, _ in extract_from_dir(PROGRAM, how, keywords={"msg": None, "_": None}):
        found.add(text, locations=[(f"src/orange_crank/{name}", line)])
    for table, fields in FIELDS.items():
        for text in _of_table(json.loads((TABLES / table).read_text("utf-8")), fields):
            found.add(text, locations=[(f"src/orange_crank/core/tables/{table}", 1)])
    return found


def kept(locale: str) -> Catalog:
    """Return the catalog of a language as it is on disk; an empty one where there is none."""
    path = WORDS / f"{locale}.po"
    if not path.exists():
        return Catalog(locale=locale, project="Orange Crank", fuzzy=False)
    with path.open("rb") as file:
        return read_po(file, locale=locale)


def bring_up_to_date(catalog: Catalog, template: Catalog) -> None:
    """Take over the templates of today; what was translated and is gone stays as obsolete."""
    catalog.update(template, no_fuzzy_matching=True)
    for key in [k for k, m in catalog.obsolete.items() if not m.string]:
        del catalog.obsolete[key]


def save(catalog: Catalog) -> None:
    """Write a catalog with no dates and no line numbers, so that only words change it."""
    with (WORDS / f"{catalog.locale}.po").open("wb") as file:
        write_po(file, catalog, width=110, sort_output=True, omit_header=True, include_lineno=False)


def screens(locale: str, to: Path = SCREENS) -> Catalog:
    """Return the screens' catalog of a language; collected anew where ``to`` is another folder."""
    if to != SCREENS:
        collect_screens(to)
    with (to / f"{locale}.po").open("rb") as file:
        return read_po(file, locale=locale)


def collect_screens(to: Path = SCREENS) -> None:
    """Collect every text of the screens into the catalogs of a folder, keeping translations."""
    settings = {**os.environ, "WORDS_TO": str(to)}
    command = ["npm", "--prefix", "frontend", "run", "--silent", "words"]
    subprocess.run(command, cwd=ROOT, env=settings, check=True, capture_output=True)


def screens_today() -> set[str]:
    """Return every text of the screens as the source has it now."""
    with TemporaryDirectory() as folder:
        return {str(m.id) for m in screens(LOCALES[0], Path(folder)) if m.id}


def main() -> int:
    """Update every catalog; with ``--check`` change nothing, and fail where one is out of date."""
    template = collected()
    today = {m.id for m in template if m.id}
    stale = False
    for locale in LOCALES:
        catalog = kept(locale)
        there = {m.id for m in catalog if m.id}
        stale |= there != today
        if "--check" not in sys.argv:
            bring_up_to_date(catalog, template)
            save(catalog)
        done = sum(1 for m in catalog if m.id in today and m.string and not m.fuzzy)
        print(f"{locale}: {done} of {len(today)} templates translated ({100 * done / len(today):.0f} %)")
    if "--check" not in sys.argv:
        collect_screens()
    shown = screens_today()
    for locale in LOCALES:
        texts = [m for m in screens(locale) if m.id]
        stale |= {m.id for m in texts} != shown
        done = sum(1 for m in texts if m.string)
        print(f"{locale}: {done} of {len(shown)} screen texts translated ({100 * done / len(shown):.0f} %)")
    if stale and "--check" in sys.argv:
        print("The catalogs are out of date: run make words.")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
