"""Setting up where it cannot be done: a sentence of what happened, and what to do."""

import shutil
import subprocess
from pathlib import Path

import pytest


def can(*command: str) -> bool:
    return subprocess.run(command, capture_output=True, check=False).returncode == 0


@pytest.fixture
def checkout(root: Path, tmp_path: Path) -> Path:
    """A checkout as it comes, with nothing set up in it."""
    place = tmp_path / "checkout"
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=root, capture_output=True, check=True)
    for name in listed.stdout.decode().split("\0"):
        if name.startswith(("scripts/", "requirements/", "pyproject.toml", "frontend/package")):
            (place / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(root / name, place / name)
    return place


def test_a_checkout_that_takes_no_writes(checkout: Path) -> None:
    own = next((o for o in ("-m", "-rm") if can("unshare", o, "true")), None)
    if own is None:
        pytest.skip("this machine gives nobody a view of the disk of their own")
    read_only = f'mount --bind "{checkout}" "{checkout}" && mount -o remount,bind,ro "{checkout}"'
    said = subprocess.run(
        ["unshare", own, "sh", "-c", f'{read_only} && cd "{checkout}" && bash scripts/setup.sh run'],
        capture_output=True,
        text=True,
        check=False,
    )
    assert said.returncode == 1
    assert "cannot be written to" in said.stderr
    assert "Copy it to a place of your own" in said.stderr
    assert "Permission denied" not in said.stderr


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ("error: Temporary failure in name resolution", "needs a network, once"),
        ("npm error code EAI_AGAIN", "needs a network, once"),
        ("SyntaxError: something else", "That did not work"),
    ],
)
def test_a_step_that_fails_says_whether_the_network_is_missing(checkout: Path, told: str, words: str) -> None:
    # A Python that is found and whose environment cannot be made.
    fake = checkout / "bin" / "python3"
    fake.parent.mkdir()
    fake.write_text(f'#!/bin/sh\n[ "$1" = -c ] && exit 0\necho "{told}" >&2\nexit 1\n')
    fake.chmod(0o755)
    said = subprocess.run(
        ["bash", "scripts/setup.sh", "run"],
        cwd=checkout,
        env={"PATH": f"{fake.parent}:/usr/local/bin:/usr/bin:/bin:/usr/sbin:/sbin", "HOME": str(checkout)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert said.returncode == 1
    assert words in said.stderr
    assert said.stderr.strip().splitlines()[-1].strip()
