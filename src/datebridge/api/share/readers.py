"""Readers of a share: given an address, told, renewed, sent elsewhere, taken back; and hosts it is handed out to."""

from __future__ import annotations

from fastapi import Response

from datebridge.api.context import App, AppDep
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued
from datebridge.api.share.shapes import (
    HandOutIn,
    HostIn,
    InvitationIn,
    InvitationOut,
    PasswordIn,
    ReaderIn,
    SendOnIn,
    ShareMade,
    ShareNo,
    ToldOut,
)
from datebridge.core.ids import JobId
from datebridge.services.sharing import handing, invitations, shares
from datebridge.services.sharing.addresses import address_of, token_in
from datebridge.store.shares import forget_host

router = new_router("/api", "shares")


def _told(app: App, reader: int, token: str) -> ToldOut:
    address = address_of(app.settings, token)
    feed = address + "feed.ics"
    return ToldOut(reader=reader, address=address, feed=feed, webcal="webcal:" + feed.partition(":")[2])


@router.post("/shares/{share}/readers")
def add_reader(app: AppDep, share: ShareNo, said: ReaderIn) -> ToldOut:
    """Give a share to somebody, or to everybody who has the address. The address is told this once."""
    reader, token = shares.add_reader(app.store, share, said.name, said.mail, said.password)
    return _told(app, reader, token)


@router.post("/readers/{reader}/renew")
def renew(app: AppDep, reader: ShareNo) -> ToldOut:
    """Another address for a reader; the one there was is taken back at once."""
    return _told(app, reader, shares.renew(app.store, reader))


@router.delete("/readers/{reader}", status_code=204)
def take_back(app: AppDep, reader: ShareNo) -> None:
    """Take back what a reader was given, at once."""
    shares.take_back(app.store, reader)


@router.put("/readers/{reader}/target", status_code=204)
def send_on(app: AppDep, reader: ShareNo, said: SendOnIn) -> None:
    """Send who comes by a reader's addresses elsewhere; an empty target ends that."""
    shares.send_on(app.store, app.settings, reader, said.target)


@router.put("/readers/{reader}/password", status_code=204)
def set_password(app: AppDep, reader: ShareNo, said: PasswordIn) -> None:
    """Have programs give a password; an empty one ends that."""
    shares.set_password(app.store, reader, said.password)


@router.get("/readers/{reader}/invitation")
def invitation(app: AppDep, reader: ShareNo) -> InvitationOut:
    """The message that is offered, to be edited."""
    subject, text = invitations.usual_text(invitations.invited(app.store, reader))
    return InvitationOut(subject=subject, text=text)


@router.post("/readers/{reader}/invitation", status_code=204)
def send_invitation(app: AppDep, reader: ShareNo, said: InvitationIn) -> None:
    """Send the message to the reader."""
    token = token_in(said.address)
    invitations.send_invitation(app.store, app.settings, reader, token, said.subject, said.text, said.attach)


@router.post("/readers/{reader}/invitation/file")
def invitation_file(app: AppDep, reader: ShareNo, said: InvitationIn) -> Response:
    """The message as a file, to be sent by other ways."""
    token = token_in(said.address)
    made = invitations.message(app.store, app.settings, reader, token, said.subject, said.text, said.attach)
    headers = {"Content-Disposition": 'attachment; filename="invitation.eml"', "Cache-Control": "no-store"}
    return Response(made.as_bytes(), media_type="message/rfc822", headers=headers)


# ---- web hosts -------------------------------------------------------------------------------------------


@router.post("/shares/{share}/hosts")
def add_host(app: AppDep, share: ShareNo, said: HostIn) -> ShareMade:
    """Have a share handed out to a web host, now and after every change."""
    return ShareMade(
        id=handing.add_host(
            app.store, app.settings, share, said.form, said.address, said.user, said.password, said.always
        )
    )


@router.post("/share-hosts/{host}/hand-out")
def hand_out(app: AppDep, host: ShareNo, said: HandOutIn) -> JobQueued:
    """Hand it out now."""
    return JobQueued(job_id=JobId(handing.queue(app.store, host, said.over)))


@router.delete("/share-hosts/{host}", status_code=204)
def leave_host(app: AppDep, host: ShareNo) -> None:
    """Hand nothing out there any more. What is there stays there."""
    with app.store.write() as connection:
        forget_host(connection, host)
