"""Accounts that are opened through a sign-on host: where to sign in, and what comes of it."""

from __future__ import annotations

from fastapi import Request

from datebridge.api.connect.shapes import SignedOn, SignOnAnswer, SignOnAt, SignOnIn
from datebridge.api.context import AppDep
from datebridge.api.guard import SIGNED
from datebridge.api.kinds import AccountNo
from datebridge.api.routing import new_router
from datebridge.connect.trust import Trust
from datebridge.services.accounts import sign_on
from datebridge.store.accounts import account

router = new_router("/api", "accounts")


def _redirect(request: Request) -> str:
    """The address of this program's own page, under the name by which it was asked."""
    origin = request.headers.get("origin", "")  # the guard lets no other pass
    return (origin or str(request.base_url).rstrip("/")) + SIGNED


@router.post("/accounts/sign-on")
def begin(app: AppDep, request: Request, body: SignOnIn) -> SignOnAt:
    """Where to sign in, to add the server at an address."""
    redirect = _redirect(request)
    trust = Trust(body.authority, body.certificate)
    address = sign_on.begin(
        app.settings, app.errands, body.address, redirect, body.sign_on, body.client, body.secret, body.agreed, trust
    )
    return SignOnAt(address=address, redirect=redirect)


@router.post("/accounts/{account_id}/sign-on")
def begin_again(app: AppDep, request: Request, account_id: AccountNo) -> SignOnAt:
    """Where to sign in once more, as what the sign-on host had given is no good any more."""
    redirect = _redirect(request)
    address = sign_on.begin_again(app.store, app.settings, app.errands, account_id, redirect)
    return SignOnAt(address=address, redirect=redirect)


@router.post("/accounts/sign-on/answer")
def answered(app: AppDep, body: SignOnAnswer) -> SignedOn:
    """Open the account with what the sign-on host has answered; once more, with `agreed`, where that was asked."""
    answer = {name: str(value) for name, value in body.model_dump(exclude={"agreed"}).items() if value}
    account_id, job = sign_on.finish(app.store, app.settings, app.errands, answer, agreed=body.agreed)
    return SignedOn(account_id=account_id, name=account(app.store, account_id).name, job_id=job)
