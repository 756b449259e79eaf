"""The server found by name on the shop's network: multicast DNS, told where it is wanted."""

import re
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from ipaddress import ip_address

from orange_crank.network import Network
from orange_crank.settings import Settings, SettingTrouble

_NAME = re.compile(r"[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?")
_EVERY = ("0.0.0.0", "::")


def name_of(settings: Settings, network: Network) -> str | None:
    """Return the name it is found by, ``NAME.local``; None where none is wanted.

    Raises
    ------
    SettingTrouble : it is no name, nobody else can reach the server, or its certificate does not carry it

    """
    if not settings.announce:
        return None
    if not _NAME.fullmatch(settings.announce):
        raise SettingTrouble(
            f"{settings.announce} is no name for a computer.",
            next_step="Set ORANGE_CRANK_ANNOUNCE to small letters, digits and hyphens, as cooling.",
        )
    if network.alone:
        raise SettingTrouble(
            "Nobody else can reach this server, so there is nothing to be found.",
            next_step="Set ORANGE_CRANK_HOST, or leave ORANGE_CRANK_ANNOUNCE out.",
        )
    name = f"{settings.announce}.local"
    if name not in network.names:
        raise SettingTrouble(
            f"The server's certificate does not carry {name}: phones would refuse it.",
            next_step=f"orange-crank certificate {' '.join(_outside(network))} {name}".replace("  ", " "),
        )
    return name


def _outside(network: Network) -> list[str]:
    names = network.standing.names if network.standing is not None else ()
    return [n for n in names if n not in ("localhost", "127.0.0.1", "::1")]


@contextmanager
def announced(settings: Settings, network: Network) -> Iterator[str | None]:
    """Tell the network of the server by its name for as long as a block runs; gives the name, or None.

    Raises
    ------
    SettingTrouble : as ``name_of``
    OSError : the network cannot be told

    """
    name = name_of(settings, network)
    if name is None:
        yield None
        return
    import ifaddr
    from zeroconf import InterfaceChoice, ServiceInfo, Zeroconf

    every = settings.host in _EVERY
    there = [ip.ip for card in ifaddr.get_adapters() for ip in card.ips if isinstance(ip.ip, str)]
    own = [a for a in there if not ip_address(a).is_loopback] if every else [settings.host]
    places = [("_https._tcp.local.", settings.port)]
    if network.install_address is not None:
        # By which a phone comes to trust the shop; plain, and holds nothing else.
        places.append(("_http._tcp.local.", settings.install_page_port))
    with ExitStack() as ends:
        told = Zeroconf(interfaces=InterfaceChoice.All if every else own)
        ends.callback(told.close)
        for kind, port in places:
            info = ServiceInfo(
                kind,
                f"Orange Crank {settings.announce}.{kind}",
                parsed_addresses=own,
                port=port,
                server=f"{name}.",
                properties={"path": "/"},
            )
            told.register_service(info)
            ends.callback(told.unregister_service, info)
        yield name
