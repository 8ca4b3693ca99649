"""Invitations in files that were brought, and the replies to them."""

from __future__ import annotations

from fastapi import Response
from pydantic import BaseModel, Field

from datebridge.api.context import AppDep
from datebridge.api.kinds import FileNo
from datebridge.api.routing import new_router
from datebridge.api.shapes import FactOut
from datebridge.core.editing.fields import Person
from datebridge.core.replies import MOST, Answer
from datebridge.services.imports import replies

router = new_router("/api/imports", "imports")


class InvitedOut(BaseModel):
    uid: str
    title: str
    organizer: Person | None
    people: list[Person]
    facts: list[FactOut] = Field(description="when it is")
    own: list[str] = Field(description="the addresses of its attendees that connected accounts have")


class InvitationsOut(BaseModel):
    invitations: list[InvitedOut]
    capped: bool = Field(description="whether the file has more events than are listed")
    mail: bool = Field(description="whether a mail server is set up")


class ReplyIn(BaseModel):
    uid: str = Field(max_length=4_000)
    address: str = Field(max_length=400)
    answer: Answer
    comment: str = Field("", max_length=2_000)


class ReplyOut(BaseModel):
    sender: str
    recipient: str
    subject: str
    text: str
    calendar: str = Field(description="the part that programs read")


@router.get("/{file_id}/invitations")
def invited(app: AppDep, file_id: FileNo) -> InvitationsOut:
    """Who invites whom to what, if the file is an invitation."""
    with app.store.read() as connection:
        invitations = replies.invited(connection, file_id)
    shown = [
        InvitedOut(
            uid=invitation.invitation.uid,
            title=invitation.invitation.title,
            organizer=invitation.invitation.organizer,
            people=list(invitation.invitation.people),
            facts=[FactOut(label=a, value=b) for a, b in invitation.facts],
            own=list(invitation.own),
        )
        for invitation in invitations
    ]
    capped = sum(len(invitation.invitation.texts) for invitation in invitations) >= MOST
    return InvitationsOut(invitations=shown, capped=capped, mail=bool(app.settings.mail_server))


@router.post("/{file_id}/reply")
def preview(app: AppDep, file_id: FileNo, body: ReplyIn) -> ReplyOut:
    """The reply as it would be sent; nothing is sent."""
    made = replies.message(app.store, app.settings, file_id, _reply(body))
    text, calendar = (part.get_content() for part in made.iter_parts())
    return ReplyOut(sender=made["From"], recipient=made["To"], subject=made["Subject"], text=text, calendar=calendar)


@router.post("/{file_id}/reply/file")
def save(app: AppDep, file_id: FileNo, body: ReplyIn) -> Response:
    """The reply as a message in a file, to be sent by other ways."""
    made = replies.message(app.store, app.settings, file_id, _reply(body))
    headers = {"X-File-Name": "reply.eml", "Cache-Control": "no-store"}
    return Response(made.as_bytes(), media_type="message/rfc822", headers=headers)


@router.post("/{file_id}/reply/send", status_code=204)
def send(app: AppDep, file_id: FileNo, body: ReplyIn) -> None:
    """Send the reply to the organiser."""
    replies.send_reply(app.store, app.settings, file_id, _reply(body))


def _reply(body: ReplyIn) -> replies.Reply:
    return replies.Reply(**body.model_dump())
