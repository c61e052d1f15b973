"""Who works on a site: its members, their roles, and invitations."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from fastapi import status
from pydantic import BaseModel, EmailStr

from skurrow.service.people import members
from skurrow.service.people.roles import may
from skurrow.service.refusals import NotAllowed
from skurrow.store.people.members import Invitation
from skurrow.web.access import Inviting, Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.routes import desk_router

router = desk_router()

RoleName = Literal["developer", "owner", "onlooker"]


class MemberView(BaseModel):
    """Somebody who works on the site; `you` is whoever asks."""

    id: UUID
    name: str
    email: str
    role: RoleName
    you: bool


class InvitationView(BaseModel):
    """An invitation that was not accepted yet."""

    id: UUID
    email: str
    role: RoleName
    expires_at: datetime


class TeamView(BaseModel):
    """Everybody."""

    members: list[MemberView]
    invitations: list[InvitationView]


class InviteRequest(Given):
    """Whom to invite, as what."""

    email: EmailStr
    role: RoleName


class RoleRequest(Given):
    """Another role."""

    role: RoleName


@router.get("/sites/{site}/members")
async def list_members(at: Site, context: Means) -> TeamView:
    """Who works on the site, and who is invited."""
    team = await members.team(context, at.site_id)
    return TeamView(
        members=[
            MemberView.model_validate(
                {
                    "id": m.person_id,
                    "name": m.name,
                    "email": m.email,
                    "role": m.role,
                    "you": m.person_id == at.person.id,
                }
            )
            for m in team.members
        ],
        invitations=[_invitation(one) for one in team.invitations],
    )


@router.post("/sites/{site}/invitations", status_code=status.HTTP_201_CREATED)
async def invite(body: InviteRequest, at: Inviting, context: Means) -> InvitationView:
    """Invites somebody by mail."""
    return _invitation(await members.invite(context, at.site_id, at.person, body.email, body.role))


@router.delete("/sites/{site}/invitations/{invitation}", status_code=status.HTTP_204_NO_CONTENT)
async def withdraw_invitation(invitation: UUID, at: Inviting, context: Means) -> None:
    """Withdraws an invitation."""
    await members.withdraw(context, at.site_id, invitation)


@router.put("/sites/{site}/members/{member}", status_code=status.HTTP_204_NO_CONTENT)
async def change_role(member: UUID, body: RoleRequest, at: Inviting, context: Means) -> None:
    """Gives a member another role."""
    await members.change_role(context, at.site_id, member, body.role)


@router.delete("/sites/{site}/members/{member}", status_code=status.HTTP_204_NO_CONTENT)
async def remove_member(member: UUID, at: Site, context: Means) -> None:
    """Ends a membership: a developer anybody's, everybody their own."""
    if member != at.person.id and not may(at.role, "people"):
        raise NotAllowed("Only a developer can change who works on the site.")
    await members.remove(context, at.site_id, member)


def _invitation(found: Invitation) -> InvitationView:
    return InvitationView.model_validate(
        {"id": found.id, "email": found.email, "role": found.role, "expires_at": found.expires_at}
    )
