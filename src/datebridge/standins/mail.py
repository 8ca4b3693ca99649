"""The mail drop: keeps what servers would have sent, and shows it in the browser. Nothing ever leaves it."""

from __future__ import annotations

import html
import sqlite3
import time
from email import message_from_bytes, policy
from pathlib import Path

from aiosmtpd.smtp import SMTP, Envelope, Session
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route

from datebridge.clock import now
from datebridge.standins.page import page


class MailDrop:
    """Messages in the order in which they came."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
        self._db.execute(
            "CREATE TABLE IF NOT EXISTS mail (id INTEGER PRIMARY KEY, at INTEGER, server TEXT, method TEXT,"
            " sender TEXT, recipient TEXT, subject TEXT, uid TEXT, body TEXT)"
        )

    def keep(self, server: str, method: str, sender: str, recipient: str, subject: str, uid: str, body: str) -> None:
        self._db.execute(
            "INSERT INTO mail (at, server, method, sender, recipient, subject, uid, body)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (now(), server, method, sender, recipient, subject, uid, body),
        )

    def messages(self) -> list[dict[str, object]]:
        names = ("id", "at", "server", "method", "sender", "recipient", "subject", "uid", "body")
        return [dict(zip(names, row, strict=True)) for row in self._db.execute("SELECT * FROM mail ORDER BY id DESC")]

    def empty(self) -> None:
        self._db.execute("DELETE FROM mail")

    def close(self) -> None:
        self._db.close()


class Post:
    """Takes mail as a mail server does (SMTP, RFC 5321), into the drop."""

    def __init__(self, drop: MailDrop) -> None:
        self.drop = drop

    async def handle_DATA(self, _server: SMTP, _session: Session, envelope: Envelope) -> str:
        message = message_from_bytes(envelope.original_content or b"", policy=policy.default)
        body = message.get_body(("plain",))
        text = body.get_content() if body is not None else ""
        files = [part.get_filename() or "file" for part in message.iter_attachments()]
        for recipient in envelope.rcpt_tos:
            self.drop.keep(
                "smtp",
                "MAIL",
                envelope.mail_from or "",
                recipient,
                str(message["Subject"] or ""),
                "",
                text + "".join(f"\n[{name}]" for name in files),
            )
        return "250 Taken"


def mail_app(drop: MailDrop) -> Starlette:
    """The drop as a small web site: a list, a message, and the same as JSON."""

    def listing(_: Request) -> Response:
        rows = "".join(
            f"<tr><td>{time.strftime('%Y-%m-%d %H:%M', time.localtime(int(str(m['at']))))}"
            + "".join(f"<td>{html.escape(str(m[key]))}" for key in ("server", "method", "sender", "recipient"))
            + f'<td><a href="/{m["id"]}">{html.escape(str(m["subject"]))}</a>'
            for m in drop.messages()
        )
        table = f"<table><tr><th>When<th>Server<th>What<th>From<th>To<th>About{rows}</table>"
        empty = "<p>The drop is empty: nobody has sent anything to anybody.</p>"
        return HTMLResponse(
            page("Mail drop", "What would have been sent. Nothing leaves here.", table if rows else empty)
        )

    def one(request: Request) -> Response:
        message = next((m for m in drop.messages() if m["id"] == request.path_params["number"]), None)
        if message is None:
            return Response("There is no such message.", 404)
        head = "".join(f"<p><b>{k}</b> {html.escape(str(message[k]))}</p>" for k in ("sender", "recipient", "subject"))
        return HTMLResponse(page("A message", "", f"{head}<pre>{html.escape(str(message['body']))}</pre>"))

    def as_json(request: Request) -> Response:
        if request.method == "DELETE":
            drop.empty()
        return JSONResponse(drop.messages())

    return Starlette(
        routes=[
            Route("/", listing),
            Route("/messages.json", as_json, methods=["GET", "DELETE"]),
            Route("/{number:int}", one),
        ]
    )
