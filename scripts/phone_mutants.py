"""Break the phone's own gate one rule at a time and list what no unit test of the screens notices.

Each mutant is one replacement in ``frontend/src/api``; the file is put back whatever happens.
"""

import subprocess
import sys
from pathlib import Path

API = Path(__file__).resolve().parents[1] / "frontend" / "src" / "api"
# File, what stands there, what a slip would make of it, and what the slip would do.
MUTANTS: tuple[tuple[str, str, str, str], ...] = (
    (
        "outbox.ts",
        "    return gate\n  }\n  return null",
        "    return null\n  }\n  return null",
        "no gate shuts",
    ),
    ("outbox.ts", "if (gate.ok || supersedes_id ||", "if (true || supersedes_id ||", "every gate opens"),
    ("outbox.ts", "if (undone) return {", "if (false) return {", "going live is never unready"),
    ("outbox.ts", "if (!ahead)\n", "if (false)\n", "a closed call takes entries"),
    (
        "outbox.ts",
        "const mine = (w: Waiting) => w.person === rememberedPerson()",
        "const mine = (_: Waiting) => true",
        "another's entries are sent",
    ),
    (
        "outbox.ts",
        "answered.headers.has('Wrong-Person')",
        "false",
        "refused for good under another's sign-in",
    ),
    (
        "ahead.ts",
        "return side === 'stop' || side === 'depends'",
        "return side === 'stop'",
        "what depends does not shut",
    ),
    (
        "ahead.ts",
        "return side === 'stop' || side === 'depends'",
        "return side === 'depends'",
        "a stop does not shut",
    ),
    (
        "ahead.ts",
        "? 'made_safe' : 'made_safe_unsure'",
        "? 'made_safe' : 'made_safe'",
        "an unsure record proves",
    ),
    ("ahead.ts", "if (!over) return", "return", "a proof never grows old"),
    (
        "ahead.ts",
        "moment_ms < proved_ms -",
        "false && moment_ms < proved_ms -",
        "a clock set back keeps a proof",
    ),
    (
        "ahead.ts",
        "if (!ahead.at_least || ahead.stopping_tests.includes(topic)) return true",
        "if (ahead.stopping_tests.includes(topic)) return true",
        "an old kept call takes any test",
    ),
    (
        "ahead.ts",
        "ahead.stopping_tests.includes(topic)) return true",
        "false) return true",
        "tests that may stop do not",
    ),
    (
        "ahead.ts",
        "limit.beside?.some((q) => since.includes(q))",
        "false",
        "what was entered since is not heeded",
    ),
    (
        "ahead.ts",
        "BESIDES(entry).some((field) => limit.heeded.includes(field))",
        "false",
        "what is said beside is not heeded",
    ),
    (
        "ahead.ts",
        "!new Validator(part.fits as object, '2020-12').validate(said).valid",
        "false",
        "every record proves",
    ),
    ("ahead.ts", "scaled < b.high ||", "scaled <= b.high ||", "a limit lies on its other side"),
    ("ahead.ts", "i < 0 || !state", "false", "a gate that is not named is taken for the first"),
)


def survives(name: str, old: str, new: str) -> bool:
    """Return whether the units of the screens pass with one rule broken."""
    place = API / name
    source = place.read_text("utf-8")
    if source.count(old) != 1:
        raise SystemExit(f"{name}: {old!r} is there {source.count(old)} times; bring the list up to date")
    place.write_text(source.replace(old, new), "utf-8")
    try:
        done = subprocess.run(
            ["npx", "vitest", "run", "src/api", "--bail", "1"],
            cwd=API.parents[1],
            capture_output=True,
            check=False,
        )
    finally:
        place.write_text(source, "utf-8")
    return done.returncode == 0


def main() -> int:
    """Print the survivors; fail where more than one in twenty survives."""
    alive = [what for name, old, new, what in MUTANTS if survives(name, old, new)]
    killed = len(MUTANTS) - len(alive)
    print(f"The phone's gate: {killed} of {len(MUTANTS)} mutants killed.")
    for what in alive:
        print(f"  survives: {what}")
    return 0 if len(alive) * 20 <= len(MUTANTS) else 1


if __name__ == "__main__":
    sys.exit(main())
