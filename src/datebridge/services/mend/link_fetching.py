"""What links into an old system lead to, fetched with the account's own credentials, bounded in size and by type."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer
from datebridge.connect.origins import origin_of
from datebridge.core.bulk import Step
from datebridge.core.bulk.attachments import links_in
from datebridge.core.bulk.steps import FetchLinks
from datebridge.core.bulk.subject import FetchedFile
from datebridge.core.ids import CalendarId
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.accounts.secrets import KeyLost
from datebridge.services.jobs.jobs import JobContext
from datebridge.store.accounts import account_of

#: What all that is fetched for one proposal may come to, in bytes: it is held until the proposal is made.
MOST = 64 << 20


class LinkFetching:
    """Fetches what entries link to, each address once; only at the origins of the account their calendar is in."""

    def __init__(self, context: JobContext, steps: Sequence[Step]) -> None:
        self._context = context
        #: How many bytes each may have; None where nothing is to be fetched.
        self._most = max((step.most * 1000 for step in steps if isinstance(step, FetchLinks)), default=None)
        self._files: dict[str, FetchedFile | str] = {}
        self._size = 0

    def of(self, calendar: CalendarId, texts: Iterable[str]) -> Mapping[str, FetchedFile | str]:
        """What the links of entries of a calendar lead to, or why that could not be fetched."""
        if self._most is None:
            return {}
        wanted = dict.fromkeys(url for text in texts for url in links_in(text))
        with self._context.store.read() as connection:
            account = account_of(connection, calendar)
        account_id = account.id if account is not None else None
        missing = [url for url in wanted if url not in self._files]
        if account_id is None or not missing:
            return {url: self._files[url] for url in wanted if url in self._files}
        try:
            with connected_to(self._context.store, self._context.settings, account_id, self._context.check) as line:
                line.web.most_bytes = self._most + 1
                for url in missing:
                    if _is_at(url, line.web.origins):
                        self._files[url] = self._fetched(url, lambda at: line.web.request("GET", at))
        except (Unreachable, KeyLost) as error:
            self._files |= {url: str(error) for url in missing if url not in self._files}
        return {url: self._files[url] for url in wanted if url in self._files}

    def _fetched(self, url: str, ask: Callable[[str], Answer]) -> FetchedFile | str:
        if self._size > MOST:
            return f"The files of this change come to more than {MOST >> 20} MB. Change fewer entries at once."
        try:
            answer = ask(url)
        except Unreachable as error:
            if error.of_account:
                raise
            return f"A link could not be fetched. {error.message}"
        if answer.status != 200:
            return f"A link leads to nothing: its host has answered {answer.status}."
        if self._most is not None and len(answer.body) > self._most:
            return f"What a link leads to is larger than {self._most // 1000:,} kB."
        media = answer.header("content-type").partition(";")[0].strip().lower() or "application/octet-stream"
        if "html" in media:
            return "A link leads to a web page, not to a file; perhaps one to sign in."
        self._size += len(answer.body)
        return FetchedFile(media, answer.body)


def _is_at(url: str, origins: Iterable[str]) -> bool:
    try:
        return origin_of(url) in origins
    except Unreachable:
        return False
