"""Readers of a share: given an address, told, renewed, sent elsewhere, taken back; and hosts it is handed out to."""

from __future__ import annotations

from fastapi import Response

from datebridge.api.context import App, AppDep
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued
from datebridge.api.share.shapes import (
    HandOutIn,
    HostIn,
    HostNo,
    InvitationIn,
    InvitationOut,
    PasswordIn,
    ReaderIn,
    ReaderNo,
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


@router.post("/shares/{share_id}/readers")
def add_reader(app: AppDep, share_id: ShareNo, body: ReaderIn) -> ToldOut:
    """Give a share to somebody, or to everybody who has the address. The address is told this once."""
    reader, token = shares.add_reader(app.store, share_id, body.name, body.mail, body.password)
    return _told(app, reader, token)


@router.post("/readers/{reader_id}/renew")
def renew(app: AppDep, reader_id: ReaderNo) -> ToldOut:
    """Another address for a reader; the one there was is taken back at once."""
    return _told(app, reader_id, shares.renew(app.store, reader_id))


@router.delete("/readers/{reader_id}", status_code=204)
def take_back(app: AppDep, reader_id: ReaderNo) -> None:
    """Take back what a reader was given, at once."""
    shares.take_back(app.store, reader_id)


@router.put("/readers/{reader_id}/target", status_code=204)
def send_on(app: AppDep, reader_id: ReaderNo, body: SendOnIn) -> None:
    """Send who comes by a reader's addresses elsewhere; an empty target ends that."""
    shares.send_on(app.store, app.settings, reader_id, body.target)


@router.put("/readers/{reader_id}/password", status_code=204)
def set_password(app: AppDep, reader_id: ReaderNo, body: PasswordIn) -> None:
    """Have programs give a password; an empty one ends that."""
    shares.set_password(app.store, reader_id, body.password)


@router.get("/readers/{reader_id}/invitation")
def invitation(app: AppDep, reader_id: ReaderNo) -> InvitationOut:
    """The message that is offered, to be edited."""
    subject, text = invitations.usual_text(invitations.invited(app.store, reader_id))
    return InvitationOut(subject=subject, text=text)


@router.post("/readers/{reader_id}/invitation", status_code=204)
def send_invitation(app: AppDep, reader_id: ReaderNo, body: InvitationIn) -> None:
    """Send the message to the reader."""
    token = token_in(body.address)
    invitations.send_invitation(app.store, app.settings, reader_id, token, body.subject, body.text, body.attach)


@router.post("/readers/{reader_id}/invitation/file")
def invitation_file(app: AppDep, reader_id: ReaderNo, body: InvitationIn) -> Response:
    """The message as a file, to be sent by other ways."""
    token = token_in(body.address)
    made = invitations.message(app.store, app.settings, reader_id, token, body.subject, body.text, body.attach)
    headers = {"Content-Disposition": 'attachment; filename="invitation.eml"', "Cache-Control": "no-store"}
    return Response(made.as_bytes(), media_type="message/rfc822", headers=headers)


# ---- web hosts -------------------------------------------------------------------------------------------


@router.post("/shares/{share_id}/hosts")
def add_host(app: AppDep, share_id: ShareNo, body: HostIn) -> ShareMade:
    """Have a share handed out to a web host, now and after every change."""
    return ShareMade(
        id=handing.add_host(
            app.store, app.settings, share_id, body.form, body.address, body.user, body.password, body.always
        )
    )


@router.post("/hosts/{host_id}/hand-out")
def hand_out(app: AppDep, host_id: HostNo, body: HandOutIn) -> JobQueued:
    """Hand it out now."""
    return JobQueued(job_id=JobId(handing.queue(app.store, host_id, body.over)))


@router.delete("/hosts/{host_id}", status_code=204)
def leave_host(app: AppDep, host_id: HostNo) -> None:
    """Hand nothing out there any more. What is there stays there."""
    with app.store.write() as connection:
        forget_host(connection, host_id)
