"""The people of a workshop over HTTP."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.problems import REFUSED, ProblemSerializer, Unprocessable
from server.room import used_bytes
from server.workshops.access import find_workshop
from server.workshops.models import Membership, Workshop
from server.workshops.services import CannotBe, put_in, rename, take_out


class PersonSerializer(serializers.Serializer[Any]):
    """One member."""

    username = serializers.CharField(max_length=150)
    role = serializers.ChoiceField(choices=Membership.Role.choices)


class PeopleSerializer(serializers.Serializer[Any]):
    """A workshop and its members."""

    name = serializers.CharField()
    people = PersonSerializer(many=True)


class PutPersonSerializer(PersonSerializer):
    """Somebody to add, or another role for them. `password`: a first one, for somebody who is new to Coin Bell."""

    password = serializers.CharField(max_length=512, trim_whitespace=False, allow_blank=True, required=False)


class NameSerializer(serializers.Serializer[Any]):
    """A workshop's name."""

    name = serializers.CharField(max_length=100)


def _people(workshop: Workshop) -> Response:
    members = Membership.objects.filter(workshop=workshop).select_related("user").order_by("user__username")
    return Response({"name": workshop.name, "people": [{"username": each.user.get_username(), "role": each.role} for each in members]})


class PeopleView(APIView):
    """Who belongs to a workshop, and as what."""

    @extend_schema(responses={200: PeopleSerializer, **REFUSED})
    def get(self, request: Request, workshop_id: int) -> Response:
        """All members."""
        return _people(find_workshop(request, workshop_id))

    @extend_schema(request=PutPersonSerializer, responses={200: PeopleSerializer, **REFUSED})
    def put(self, request: Request, workshop_id: int) -> Response:
        """Add somebody, or give them another role."""
        workshop = find_workshop(request, workshop_id, "own")
        form = PutPersonSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        wanted = form.validated_data
        try:
            put_in(workshop, wanted["username"], wanted["role"], wanted.get("password", ""))
        except CannotBe as error:
            raise Unprocessable(str(error)) from error
        return _people(workshop)

    @extend_schema(request=NameSerializer, responses={200: PeopleSerializer, **REFUSED})
    def patch(self, request: Request, workshop_id: int) -> Response:
        """Call the workshop otherwise."""
        workshop = find_workshop(request, workshop_id, "own")
        form = NameSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        try:
            return _people(rename(workshop, form.validated_data["name"]))
        except CannotBe as error:
            raise Unprocessable(str(error)) from error


class PersonView(APIView):
    """One member."""

    @extend_schema(responses={200: PeopleSerializer, **REFUSED})
    def delete(self, request: Request, workshop_id: int, username: str) -> Response:
        """They leave the workshop."""
        workshop = find_workshop(request, workshop_id, "own")
        try:
            take_out(workshop, username)
        except CannotBe as error:
            raise Unprocessable(str(error)) from error
        return _people(workshop)


class WorkshopRoomSerializer(serializers.Serializer[Any]):
    """What a workshop keeps of recordings and images, and how much it may."""

    used_bytes = serializers.IntegerField()
    quota_bytes = serializers.IntegerField()


class RoomView(APIView):
    """A workshop's room."""

    @extend_schema(responses={200: WorkshopRoomSerializer, 404: ProblemSerializer})
    def get(self, request: Request, workshop_id: int) -> Response:
        """How much of it is taken."""
        workshop = find_workshop(request, workshop_id)
        return Response({"used_bytes": used_bytes(workshop.pk), "quota_bytes": settings.WORKSHOP_QUOTA_BYTES})
