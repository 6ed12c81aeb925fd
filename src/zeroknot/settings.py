"""Where the application keeps its data and what it may use: from the environment or a .env file.

Every setting can be given as ZEROKNOT_<NAME>.
"""

from pathlib import Path

from platformdirs import user_data_path
from pydantic import Field, field_validator
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """The one place for what may differ between machines."""

    model_config = SettingsConfigDict(env_prefix="ZEROKNOT_", env_file=".env", extra="ignore")

    data: Path = Field(
        user_data_path("zeroknot"), description="folder for loops, projects, renders"
    )
    host: str = Field(
        "127.0.0.1", description="address to listen on; others can reach any but this"
    )
    port: int = Field(8420, ge=1, le=65535, description="port to listen on")
    workers: int = Field(2, ge=1, le=64, description="processes that bring in and listen")
    largest_upload: int = Field(3 * 10**9, description="bytes of one file that is brought in")
    cache_bytes: int = Field(4 * 10**9, description="size the render cache is kept under")
    watch: Path | None = Field(
        None, description="folder from which files come in by themselves; prints go to it"
    )
    exchange: str = Field("", description="address of a loop exchange; none where it is empty")

    @field_validator("watch", mode="before")
    @classmethod
    def _none_where_it_is_empty(cls, watch: object) -> object:
        """An empty value names no folder; it is not the one that the server was started in."""
        return watch or None
