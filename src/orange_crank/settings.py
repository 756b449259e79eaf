"""Settings from the environment, all beginning with ``ORANGE_CRANK_``."""

from ipaddress import ip_address
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import Field, field_validator
from pydantic_settings import BaseSettings, SettingsConfigDict

ROOT = Path(__file__).resolve().parents[2]


class Settings(BaseSettings):
    """Where the product listens and keeps its data."""

    model_config = SettingsConfigDict(env_prefix="ORANGE_CRANK_")

    host: str = "127.0.0.1"
    port: int = Field(default=8420, ge=1, le=65535)
    data_dir: Path = ROOT / ".data"
    bench_port: int = Field(
        default=0, ge=0, le=65535, description="Of the bench; 0: a free one with the demo, else none"
    )
    meter_hosts: str = Field(default="", description="Other machines meters may be on, by commas")
    backup_dir: Path | None = Field(
        default=None,
        description="Where backups go; the data folder's own if left out: another disk is better",
    )
    backup_hours: float = Field(
        default=24.0, ge=0, le=720, description="Hours between backups by itself; 0: none"
    )
    zone: str = Field(default="", description="The shop's time zone by name; the machine's if left out")
    web_dir: Path = ROOT / "frontend" / "dist"

    @property
    def backups(self) -> Path:
        """Where backups go."""
        return self.backup_dir or self.data_dir / "backups"

    @field_validator("zone")
    @classmethod
    def _known_zone(cls, zone: str) -> str:
        """Refuse a zone nobody knows."""
        if zone:
            try:
                ZoneInfo(zone)
            except (ZoneInfoNotFoundError, ValueError):
                raise ValueError(f"{zone} is no time zone; one is named like America/Denver") from None
        return zone

    @field_validator("host")
    @classmethod
    def _loopback_only(cls, host: str) -> str:
        """Refuse any address other people could reach: there is no sign-in yet."""
        try:
            loopback = host == "localhost" or ip_address(host).is_loopback
        except ValueError:
            loopback = False
        if not loopback:
            raise ValueError(
                f"{host} is not a loopback address. Orange Crank has no sign-in yet, so it listens only on "
                "127.0.0.1; leave ORANGE_CRANK_HOST out"
            )
        return host
