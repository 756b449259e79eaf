"""Print the table of rights as a page of the documentation: ``python -m scripts.roles > docs/roles.md``."""

from orange_crank.api.app import create_app
from orange_crank.api.rights import GROUPS, RECKON, ROLES, Right
from orange_crank.topics import TOPICS

MARKS = {(True, True): "yes", (True, False): "own", (False, True): "others'", (False, False): "–"}
HEAD = """# Who may do what

Made from the table in `src/orange_crank/api/rights.py` by `python -m scripts.roles`; a test holds them
together. Every address of the server has a row; the table is tried row by row, role by role, with one's own
and with another's. *own*: only what is one's own; whose it is stands beside the row.

Under `/practice` only the routes of `IN_PRACTICE` exist; there every role but read-only has a technician's
rights, on practice records. Another person's practice call is private; the lead may look at it.
"""


def _cells(right: Right) -> list[str]:
    if right.open == "yes":
        return ["anybody"] * len(ROLES)
    return [MARKS[role in right.own, role in right.other] for role in ROLES]


def roles_page() -> str:
    """Return the page, as Markdown."""
    ways = {
        operation["operationId"]: f"{way.upper()} {path}"
        for path, found in create_app().openapi()["paths"].items()
        for way, operation in found.items()
    }
    lines = [HEAD]
    for right, names in GROUPS:
        beside = f" Whose it is: {right.owned_by}." if right.owned_by else ""
        if right.open == "alone":
            beside += " Nobody need be signed in while the server listens to its own computer only."
        lines += [f"## {right.words}", "", beside.strip(), ""] if beside else [f"## {right.words}", ""]
        lines += ["| " + " | ".join(ROLES) + " |", "|" + " --- |" * len(ROLES)]
        lines += ["| " + " | ".join(_cells(right)) + " |", ""]
        found = [ways[name] for name in names.split()]
        if right is RECKON:
            found = [f"POST /api/calc/<topic> ({len(TOPICS)} topics)", *found]
        lines += [*(f"- `{one}`" for one in found), ""]
    return "\n".join(lines).rstrip() + "\n"


if __name__ == "__main__":
    print(roles_page(), end="")
