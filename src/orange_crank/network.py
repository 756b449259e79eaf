"""How other machines reach the server: its address, its names and its certificate."""

from datetime import UTC, datetime
from io import BytesIO
from pathlib import Path

import segno
from pydantic import BaseModel, ConfigDict

from orange_crank import certificates
from orange_crank.certificates import Standing
from orange_crank.settings import Settings

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")


class Network(BaseModel):
    """How one run of the server is reached; left empty, by this machine alone."""

    model_config = ConfigDict(frozen=True, arbitrary_types_allowed=True)

    alone: bool = True
    address: str = "http://127.0.0.1"
    names: tuple[str, ...] = ()
    standing: Standing | None = None
    authority: Path | None = None
    install_address: str | None = None

    @property
    def hosts(self) -> list[str]:
        """Return the names a request may ask for it by; any other is refused."""
        return [*LOOPBACK, *(f"[{n}]" if ":" in n else n for n in self.names)]

    @classmethod
    def of(cls, settings: Settings) -> "Network":
        """Return how a server with these settings is reached.

        Raises
        ------
        CertificateTrouble : its certificate cannot be read, or is not its key's

        """
        named = tuple(one.strip() for one in settings.names.split(",") if one.strip())
        files = settings.tls
        if files is None:
            address = f"http://{_written(settings.host)}:{settings.port}"
            return cls(alone=settings.alone, address=address, names=named)
        authority = certificates.folder_of(settings.data_dir) / "authority.crt"
        standing = certificates.read_standing(*files, authority)
        any_address = settings.host in ("0.0.0.0", "::")
        outside = [n for n in standing.names if n not in ("localhost", "127.0.0.1", "::1")]
        host = (outside or ["localhost"])[0] if any_address else settings.host
        port = settings.install_page_port
        return cls(
            alone=settings.alone,
            address=f"https://{_written(host)}:{settings.port}",
            names=(*standing.names, *named, *(() if any_address else (settings.host,))),
            standing=standing,
            authority=authority if standing.own else None,
            install_address=f"http://{_written(host)}:{port}" if standing.own and port else None,
        )

    def warning(self) -> str | None:
        """Return what is to be done about the certificate soon; None where nothing is."""
        if self.standing is None or not self.standing.warns(datetime.now(UTC)):
            return None
        when = f"The server's certificate ends on {self.standing.ends_at:%Y-%m-%d}."
        if self.standing.own:
            return f"{when} It is made again at the next start: make stop, then start again."
        return f"{when} Put a new one in its place, then start again."


def _written(host: str) -> str:
    return f"[{host}]" if ":" in host else host


def code_svg(address: str) -> str:
    """Return an address as a QR code, SVG."""
    out = BytesIO()
    segno.make(address, error="m", micro=False).save(
        out, kind="svg", xmldecl=False, border=4, omitsize=True, dark="#000", light="#fff"
    )
    return out.getvalue().decode()
