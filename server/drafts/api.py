"""Crafts over HTTP."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.chain import still_chain
from linkcore.craft.document import CraftDocument, CraftError, Kit
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.craft.two_sides import ChangedBy
from linkcore.findings import Edit
from linkcore.hop import HopState
from linkcore.parts.catalogue import Catalogue
from linkcore.reads import Whole
from server.bench.models import BenchRecord
from server.crafts.access import find_craft, read_edits
from server.crafts.models import Craft, Revision
from server.drafts.services import Stale, as_now, changes_beside, create_craft, edit_draft, save_draft
from server.parts.models import catalogue_of
from server.problems import ProblemSerializer
from server.proofs.models import ProofRecord, WireRing
from server.schema import CoreField
from server.workshops.access import demand, role_of
from server.workshops.models import DUTIES, Duty, Membership, Workshop, duties_of


class CraftSerializer(serializers.Serializer[Any]):
    """A craft with its newest draft."""

    id = serializers.UUIDField()
    workshop = serializers.CharField()
    workshop_id = serializers.IntegerField()
    role = serializers.ChoiceField(choices=Membership.Role.choices)
    may = serializers.ListField(child=serializers.ChoiceField(choices=DUTIES))
    version = serializers.IntegerField()
    updated_at = serializers.DateTimeField()
    updated_by = serializers.CharField(allow_null=True)
    document = CoreField(CraftDocument)


class CraftRowSerializer(serializers.Serializer[Any]):
    """A craft in the list, with its coins. `trouble` where its document cannot be read."""

    id = serializers.UUIDField()
    workshop = serializers.CharField()
    name = serializers.CharField()
    about = serializers.CharField()
    airframe = serializers.CharField()
    parts = serializers.ListField(child=serializers.CharField())
    updated_at = serializers.DateTimeField()
    updated_by = serializers.CharField(allow_null=True)
    chain = CoreField(HopState, many=True)
    trouble = serializers.CharField()


class NewCraftSerializer(serializers.Serializer[Any]):
    """Parts for a new craft; those that are left out are chosen in its Kit."""

    workshop = serializers.IntegerField()
    name = serializers.CharField(min_length=1, max_length=60)
    airframe = serializers.CharField(max_length=20)
    board = serializers.CharField(max_length=60, allow_blank=True, required=False)
    receiver = serializers.CharField(max_length=60, allow_blank=True, required=False)
    transmitter = serializers.CharField(max_length=60, allow_blank=True, required=False)


class DraftSerializer(serializers.Serializer[Any]):
    """A draft and the version it was made from."""

    version = serializers.IntegerField(min_value=1)
    document = CoreField(CraftDocument)


class EditsSerializer(serializers.Serializer[Any]):
    """Edits as a finding's mend offers them, and the version they are meant for."""

    version = serializers.IntegerField(min_value=1)
    edits = CoreField(Edit, many=True)


class StaleSerializer(ProblemSerializer):
    """Somebody saved meanwhile: what is there now."""

    current = CraftSerializer()
    changes = CoreField(ChangedBy, many=True)


class RevisionSerializer(serializers.Serializer[Any]):
    """One revision."""

    version = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Revision.Kind.choices)
    author = serializers.CharField(allow_null=True)
    at = serializers.DateTimeField()
    document = CoreField(CraftDocument)


def _known(craft: Craft) -> dict[str, Any]:
    return {
        "id": craft.id,
        "workshop": craft.workshop.name,
        "updated_at": craft.updated_at,
        "updated_by": craft.updated_by.get_username() if craft.updated_by else None,
    }


def told(craft: Craft, user: Any) -> dict[str, Any]:
    """A craft as the API tells it to a user."""
    role = role_of(user, craft.workshop_id)
    of_the_user = {"workshop_id": craft.workshop_id, "role": role, "may": list(duties_of(role))}
    return _known(craft) | of_the_user | {"version": craft.version, "document": as_now(craft.document)}


def _row(craft: Craft, record: BenchRecord | None, proofs: list[ProofRecord], catalogue: Catalogue, rung: dict[str, str]) -> dict[str, Any]:
    row = _known(craft)
    row |= {
        "name": craft.name,
        "about": craft.document.get("about", ""),
        "airframe": craft.document.get("airframe", ""),
        "parts": [],
        "chain": [],
        "trouble": "",
    }
    try:
        document = craft.read()
        parts = KitParts.of(document, catalogue)
        on_board, installed, identity, handled = document.settings, None, "", None
        if record:
            kept = record.state_for(document, parts)
            on_board, installed, identity, handled = record.running(document, parts), kept.installed(document, parts), kept.bound_to, kept.handled
        chain = still_chain(Whole(document, on_board, parts, installed, identity, rung, handled), ProofRecord.newest(proofs))
        row["chain"] = [state.model_dump() for state in chain]
        row["parts"] = [each.name for each in (parts.maybe_board, parts.maybe_receiver, parts.maybe_transmitter) if each is not None]
    except (CraftError, KeyError, ValueError) as error:
        row["trouble"] = str(error)
    return row


class CraftsView(APIView):
    """All crafts of the user's workshops."""

    @extend_schema(responses=CraftRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The list, with coins."""
        crafts = list(Craft.objects.seen_by(request.user).select_related("workshop", "updated_by").order_by("workshop__name", "name"))
        records = {record.craft_id: record for record in BenchRecord.objects.filter(craft__in=crafts)}
        proofs: dict[uuid.UUID, list[ProofRecord]] = {}
        for proof in ProofRecord.objects.filter(craft__in=crafts).order_by("id"):
            proofs.setdefault(proof.craft_id, []).append(proof)
        catalogues = {workshop_id: catalogue_of(workshop_id) for workshop_id in {craft.workshop_id for craft in crafts}}
        rung: dict[uuid.UUID, dict[str, str]] = {}
        for each in WireRing.objects.filter(craft__in=crafts, until=None):
            rung.setdefault(each.craft_id, {})[each.wire] = each.says()
        return Response(
            [_row(craft, records.get(craft.id), proofs.get(craft.id, []), catalogues[craft.workshop_id], rung.get(craft.id, {})) for craft in crafts]
        )

    @extend_schema(request=NewCraftSerializer, responses={201: CraftSerializer, 400: ProblemSerializer, 422: ProblemSerializer})
    def post(self, request: Request) -> Response:
        """A new craft."""
        form = NewCraftSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        wanted = form.validated_data
        workshop = Workshop.objects.filter(pk=wanted["workshop"], membership__user_id=request.user.pk or 0).first()
        if workshop is not None:
            demand(request.user, workshop.pk, "build")
        if workshop is None:
            raise serializers.ValidationError({"workshop": ["you do not belong to it"]})
        try:
            kit = Kit.model_validate({role: wanted.get(role, "") for role in ("board", "receiver", "transmitter")})
            document = new_craft(wanted["name"], wanted["airframe"], kit, catalogue_of(workshop.pk))
        except ValueError as error:
            raise CraftError(str(error)) from error
        return Response(told(create_craft(workshop, document, request.user), request.user), status=201)


class CraftView(APIView):
    """One craft."""

    @extend_schema(responses={200: CraftSerializer, 404: ProblemSerializer, 422: ProblemSerializer})
    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The craft with its newest draft; 422 where this Coin Bell cannot read it."""
        craft = find_craft(request, craft_id)
        craft.read()
        return Response(told(craft, request.user))


_DRAFT_RESPONSES: dict[int, Any] = {
    200: CraftSerializer,
    400: ProblemSerializer,
    404: ProblemSerializer,
    409: StaleSerializer,
    422: ProblemSerializer,
}


class DraftView(APIView):
    """A craft's draft."""

    @extend_schema(request=DraftSerializer, responses=_DRAFT_RESPONSES)
    def put(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Save the draft; 409 with what is there now where somebody else saved meanwhile."""
        form = DraftSerializer(data=request.data)
        return self._save(request, craft_id, form, lambda craft, wanted: save_draft(craft.id, wanted["version"], wanted["document"], request.user))

    @extend_schema(request=EditsSerializer, responses=_DRAFT_RESPONSES)
    def patch(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Make a finding's edits in the draft; answers as a whole save does."""
        form = EditsSerializer(data=request.data)
        return self._save(request, craft_id, form, lambda craft, wanted: edit_draft(craft.id, wanted["version"], read_edits(wanted["edits"]), request.user))

    @staticmethod
    def _save(request: Request, craft_id: uuid.UUID, form: serializers.Serializer[Any], save: Callable[[Craft, dict[str, Any]], Craft]) -> Response:
        form.is_valid(raise_exception=True)
        craft = find_craft(request, craft_id, _duty(form.validated_data))
        try:
            saved = save(craft, form.validated_data)
        except Stale as stale:
            who = stale.craft.updated_by.get_username() if stale.craft.updated_by else "somebody"
            text = f"{who} has saved this draft meanwhile (version {stale.craft.version}); look at that one, then make your change again"
            changes = changes_beside(stale.craft, form.validated_data)
            return Response({"detail": text, "current": told(stale.craft, request.user), "changes": [each.model_dump() for each in changes]}, status=409)
        return Response(told(saved, request.user))


def _duty(wanted: dict[str, Any]) -> Duty:
    """What a save asks of a role: to say how a surface was seen to move is a check by eye, everything else an edit."""
    edits = read_edits(wanted["edits"]) if "edits" in wanted else []
    return "check" if edits and all(edit.path.split("/")[1:2] == ["servos_turned"] for edit in edits) else "build"


class RevisionsView(APIView):
    """A craft's history."""

    @extend_schema(responses={200: RevisionSerializer(many=True), 404: ProblemSerializer})
    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The newest hundred revisions, newest first."""
        craft = find_craft(request, craft_id)
        found = craft.revisions.select_related("author")[:100]
        return Response(
            [
                {
                    "version": each.version,
                    "kind": each.kind,
                    "author": each.author.get_username() if each.author else None,
                    "at": each.at,
                    "document": as_now(each.document),
                }
                for each in found
            ]
        )
