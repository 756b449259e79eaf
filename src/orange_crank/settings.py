"""Settings from the environment, all beginning with ``ORANGE_CRANK_``."""

from ipaddress import ip_address
from pathlib import Path

from pydantic import Field, field_validator
from pydantic_settings import BaseSettings, SettingsConfigDict

ROOT = Path(__file__).resolve().parents[2]


class Settings(BaseSettings):
    """Where the product listens and keeps its data."""

    model_config = SettingsConfigDict(env_prefix="ORANGE_CRANK_")

    host: str = "127.0.0.1"
    port: int = Field(default=8420, ge=1, le=65535)
    data_dir: Path = ROOT / ".data"
    web_dir: Path = ROOT / "frontend" / "dist"

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
