"""The server on a network: in a name space of its own, so that nothing of this machine's is used."""

import subprocess
import sys
from pathlib import Path

import pytest

from tests.running.in_a_network import ADDRESS

# A run of its own: it shares nothing with the one around it.
APART = ("-p", "no:cacheprovider", "-p", "no:xdist")
INNER = "tests/running/in_a_network.py"
# Names of the local network are asked for by multicast, which loopback carries only where it is told to.
INSIDE = (
    f"ip link set lo up multicast on && ip address add {ADDRESS}/24 dev lo "
    '&& ip route add 224.0.0.0/4 dev lo && exec "$@"'
)


def own_network() -> list[str]:
    for how in ("-n", "-rn"):
        try:
            tried = subprocess.run(
                ["unshare", how, "sh", "-c", INSIDE, "sh", "true"], check=False, capture_output=True
            )
        except FileNotFoundError:
            break
        if tried.returncode == 0:
            return ["unshare", how, "sh", "-c", INSIDE, "sh"]
    pytest.skip("this machine gives nobody a network of their own")


def test_a_shop_on_the_network_from_first_run_to_first_call(root: Path) -> None:
    told = subprocess.run(
        [
            *own_network(),
            sys.executable,
            "-m",
            "pytest",
            "-q",
            "-p",
            "no:cacheprovider",
            "-p",
            "no:xdist",
            INNER,
        ],
        cwd=root,
        capture_output=True,
        text=True,
        check=False,
        timeout=400,
    )
    assert told.returncode == 0, told.stdout[-6000:] + told.stderr[-2000:]
