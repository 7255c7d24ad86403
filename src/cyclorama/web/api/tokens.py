"""Tokens: making, listing and revoking them; no token may."""

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel

from ...store.tokens import Token, TokenName
from ..context import Context, context
from ..guard import TOKENS

router = APIRouter(prefix=TOKENS)
Ctx = Annotated[Context, Depends(context)]


class NewToken(BaseModel):
    name: TokenName
    """the program or machine it is for"""


class IssuedToken(BaseModel):
    """A new token with its secret, which is told this once."""

    token: Token
    secret: str


@router.get("")
def tokens(ctx: Ctx) -> list[Token]:
    """Every token, the newest first, without secrets."""
    return ctx.studio.tokens.all()


@router.post("", status_code=201)
def issue(ctx: Ctx, wanted: NewToken) -> IssuedToken:
    """Make a token."""
    token, secret = ctx.studio.tokens.issue(wanted.name)
    return IssuedToken(token=token, secret=secret)


@router.delete("/{token_id}", status_code=204)
def revoke(ctx: Ctx, token_id: str) -> None:
    """Revoke a token; its program is let in no more."""
    ctx.studio.tokens.revoke(token_id)
