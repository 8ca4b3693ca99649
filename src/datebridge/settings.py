"""Settings, from the environment (DATE_BRIDGE_…) and the command line."""

from __future__ import annotations

from pathlib import Path

from platformdirs import user_data_path
from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

from datebridge.core.accounts import reach_of


class Settings(BaseSettings):
    """Where the data is, where the application listens, and what it takes at the most."""

    model_config = SettingsConfigDict(env_prefix="DATE_BRIDGE_")

    data_dir: Path = Field(default_factory=lambda: user_data_path("date-bridge", appauthor=False))
    host: str = "127.0.0.1"
    port: int = 8137
    #: Who may ask from elsewhere: whoever has the access key, or whoever the reverse proxy at this address lets in.
    access_key: bool = False
    proxy: str = ""
    #: Names under which the application is reached, beside the address it listens on.
    names: tuple[str, ...] = ()
    #: Where readers of shares come in, address:port; "" for nowhere. And the address under which they know that door,
    #: where that is another one: a proxy's, under whatever path.
    share_listen: str = ""
    share_address: str = ""
    #: The proxy that tells for whom it asks at the readers' door (X-Forwarded-For).
    share_proxy: str = ""
    #: What readers may ask: requests a second from one address and of one share, and wrong addresses a minute.
    share_client_rate: float = 50
    share_rate: float = 5_000
    share_misses: float = 30
    #: Where mail is handed to: smtp://host:port, smtp+starttls:// or smtps://; with whom and what it is signed in.
    mail_server: str = ""
    mail_user: str = ""
    mail_password: str = ""
    mail_from: str = ""
    #: Largest file taken in one piece, in bytes.
    max_file: int = 512 << 20
    #: Largest answer taken from another system, in bytes once unpacked.
    max_answer: int = 128 << 20
    #: Bounds for archives: files, bytes in all once unpacked, and how many times larger than packed.
    max_archive_files: int = 2_000
    max_archive_octets: int = 1 << 30
    max_archive_ratio: int = 200
    #: Origins that may be reached although they are on this machine or in a private network.
    allowed_origins: tuple[str, ...] = ()
    #: The name server that is asked where a domain's calendars are, address or address:port; "" for the machine's own.
    name_server: str = ""
    #: Where a catalogue of open feeds is; "" for none.
    catalogue: str = ""
    #: Connections to one server at once, and for how many seconds a job tries again what was put off.
    connections: int = 4
    patience: float = 120
    #: How often calendars on servers, and feeds that do not say, are refreshed, in seconds.
    refresh_every: int = 900
    feed_every: int = 6 * 3600

    def usual_interval(self, kind: str) -> int:
        """How often calendars of a kind of account are refreshed that do not say, in seconds."""
        return self.refresh_every if reach_of(kind).takes else self.feed_every

    @property
    def database(self) -> Path:
        return self.data_dir / "date-bridge.sqlite"

    @property
    def use_file(self) -> Path:
        return self.data_dir / "share-use.sqlite"

    @property
    def key_file(self) -> Path:
        return self.data_dir / "secret.key"

    @property
    def access_file(self) -> Path:
        return self.data_dir / "access.key"

    @property
    def lock_file(self) -> Path:
        return self.data_dir / "in-use"

    @property
    def imports_dir(self) -> Path:
        return self.data_dir / "incoming"

    @property
    def archive_dir(self) -> Path:
        return self.data_dir / "archives"
