"""Settings from the environment, all beginning with ``ORANGE_CRANK_``."""

import re
from ipaddress import ip_address
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import Field, SecretStr, field_validator, model_validator
from pydantic_settings import BaseSettings, SettingsConfigDict

from orange_crank.certificates import folder_of
from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg
from orange_crank.store.database import Connection

ROOT = Path(__file__).resolve().parents[2]


class SettingTrouble(CrankError):
    """A setting cannot be used."""

    title = msg("A setting cannot be used")


def _is_loopback(host: str) -> bool:
    try:
        return host == "localhost" or ip_address(host).is_loopback
    except ValueError:
        return False


def _place(said: str) -> tuple[str, int]:
    """Return host and port of a server as the settings name it."""
    host, _, port = said.strip().rpartition(":")
    if not host or not port.isdigit() or not 0 < int(port) < 65536:
        raise SettingTrouble(
            msg("{strip} names no server.", strip=said.strip()),
            next_step=msg("Write ORANGE_CRANK_DATABASE_OTHERS as host:port,host:port."),
        )
    return host, int(port)


class Settings(BaseSettings):
    """Where the product listens and keeps its data."""

    model_config = SettingsConfigDict(env_prefix="ORANGE_CRANK_")

    host: str = Field(
        default="127.0.0.1", description="Address it listens on; others can reach any but loopback's"
    )
    port: int = Field(default=8420, ge=1, le=65535)
    data_dir: Path = ROOT / ".data"
    tls_certificate: Path | None = Field(
        default=None, description="Its certificate in PEM; what `orange-crank certificate` made if left out"
    )
    tls_key: Path | None = Field(default=None, description="The certificate's key in PEM")
    names: str = Field(default="", description="What else it is called by, by commas: a proxy's name")
    proxies: str = Field(
        default="", description="Addresses of proxies whose forwarded headers are believed, by commas"
    )
    announce: str = Field(
        default="", description="Name it is found by on the network, as NAME.local; not announced if left out"
    )
    install_port: int | None = Field(
        default=None,
        ge=0,
        le=65535,
        description="Plain page that hands out the shop's authority; the port above if left out; 0: none",
    )
    bench_port: int = Field(
        default=0, ge=0, le=65535, description="Of the bench; 0: a free one with the demo, else none"
    )
    meter_hosts: str = Field(default="", description="Other machines meters may be on, by commas")
    push_contact: str = Field(
        default="",
        description="Whom a push service may turn to, mailto: or https: address; the shop's own if left out",
    )
    push_hosts: str = Field(
        default="", description="Push services on this network, host:port by commas: stand-ins for tests"
    )
    backup_dir: Path | None = Field(
        default=None,
        description="Where backups go; the data folder's own if left out: another disk is better",
    )
    backup_hours: float = Field(
        default=24.0, ge=0, le=720, description="Hours between backups by itself; 0: none"
    )
    workers: int = Field(default=1, ge=1, le=64, description="Processes that answer")
    database_host: str = Field(default="", description="A MariaDB elsewhere; left out, the product's own")
    database_port: int = Field(default=3306, ge=1, le=65535, description="Of that MariaDB")
    database_others: str = Field(
        default="", description="Servers that may stand in for it, host:port by commas, in order"
    )
    database_name: str = Field(
        default="orange_crank", pattern=r"^[A-Za-z0-9_]{1,40}$", description="Its schema"
    )
    database_user: str = Field(default="orange_crank", description="The application's account")
    database_password_file: Path | None = Field(default=None, description="File that holds its password")
    database_owner: str = Field(
        default="", description="The account that lays the schema out; the application's own if left out"
    )
    database_owner_password_file: Path | None = Field(
        default=None, description="File that holds its password"
    )
    database_tls_ca: Path | None = Field(
        default=None, description="Authority the MariaDB elsewhere must prove its name by; without, no TLS"
    )
    zone: str = Field(default="", description="The shop's time zone by name; the machine's if left out")
    web_dir: Path = ROOT / "frontend" / "dist"

    @property
    def backups(self) -> Path:
        """Where backups go."""
        return self.backup_dir or self.data_dir / "backups"

    def remote_connection(self, owner: bool = False) -> Connection:
        """Return how to sign in to the MariaDB elsewhere, as the application or as the schema's owner.

        Raises
        ------
        SettingTrouble : a password or an authority cannot be read, or a server is not named

        """
        as_owner = owner and bool(self.database_owner)
        file = self.database_owner_password_file if as_owner else self.database_password_file
        if file is None:
            name = "OWNER_PASSWORD_FILE" if as_owner else "PASSWORD_FILE"
            raise SettingTrouble(
                msg("No file with the database's password is named."),
                next_step=msg("Set ORANGE_CRANK_DATABASE_{name} to a file only its owner reads.", name=name),
            )
        try:
            password = file.read_text("utf-8").strip()
            if self.database_tls_ca is not None:
                self.database_tls_ca.read_bytes()
        except (OSError, UnicodeDecodeError) as error:
            raise SettingTrouble(
                msg("A file the settings name cannot be read: {error}.", error=error),
                next_step=msg("Put it right, then start again."),
            ) from None
        if self.database_tls_ca is None and not _is_loopback(self.database_host):
            raise SettingTrouble(
                msg(
                    "{database_host} is another machine: others on the network could read what you "
                    "send to it.",
                    database_host=self.database_host,
                ),
                next_step=msg(
                    "Set ORANGE_CRANK_DATABASE_TLS_CA to the authority its certificate is signed by."
                ),
            )
        return Connection(
            host=self.database_host,
            port=self.database_port,
            user=self.database_owner if as_owner else self.database_user,
            password=SecretStr(password),
            name=self.database_name,
            others=tuple(_place(one) for one in self.database_others.split(",") if one.strip()),
            tls_ca=self.database_tls_ca,
        )

    @field_validator("push_contact")
    @classmethod
    def _somebody(cls, contact: str) -> str:
        """Refuse what no push service takes for a person to turn to."""
        if contact and not re.fullmatch(r"mailto:[^@\s]+@[^@\s]+|https://[^\s/]+\S*", contact):
            raise ValueError("a push service wants somebody to turn to, as mailto:lead@shop.example")
        return contact

    @field_validator("zone")
    @classmethod
    def _known_zone(cls, zone: str) -> str:
        """Refuse a zone no one knows."""
        if zone:
            try:
                ZoneInfo(zone)
            except (ZoneInfoNotFoundError, ValueError):
                raise ValueError(f"{zone} is no time zone; one is named like America/Denver") from None
        return zone

    @property
    def alone(self) -> bool:
        """Whether only this machine can reach it, directly or by a proxy."""
        return _is_loopback(self.host) and not self.proxies.strip()

    @property
    def proxy_addresses(self) -> list[str]:
        """The proxies whose forwarded headers are believed."""
        return [one.strip() for one in self.proxies.split(",") if one.strip()]

    @property
    def tls(self) -> tuple[Path, Path] | None:
        """Certificate and key it answers by; None where it speaks plainly, to this machine alone."""
        if self.tls_certificate is not None and self.tls_key is not None:
            return self.tls_certificate, self.tls_key
        if _is_loopback(self.host):
            return None
        return folder_of(self.data_dir) / "server.crt", folder_of(self.data_dir) / "server.key"

    @property
    def install_page_port(self) -> int:
        """Port of the plain page that hands out the shop's own authority; 0: none."""
        if self.install_port is not None:
            return self.install_port
        own = self.tls_certificate is None and self.tls is not None
        return self.port + 1 if own and self.port < 65535 else 0

    @model_validator(mode="after")
    def _sealed_where_others_reach_it(self) -> "Settings":
        """Refuse to speak plainly where other machines could listen."""
        if (self.tls_certificate is None) != (self.tls_key is None):
            raise ValueError(
                "ORANGE_CRANK_TLS_CERTIFICATE and ORANGE_CRANK_TLS_KEY belong together: name both or neither"
            )
        if self.tls is not None and self.tls_certificate is None and not self.tls[0].exists():
            raise ValueError(
                f"other machines could reach {self.host}, and others on the network could read what you send "
                "to it. Make a certificate first, orange-crank certificate NAME, or name yours by "
                "ORANGE_CRANK_TLS_CERTIFICATE and ORANGE_CRANK_TLS_KEY"
            )
        return self
