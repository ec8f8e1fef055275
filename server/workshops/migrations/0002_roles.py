"""Owners and readers; the earliest builder of each workshop becomes its owner."""

from django.db import migrations, models


def earliest_owns(apps, schema_editor):
    """Who built first owns; where nobody builds, who came first."""
    membership = apps.get_model("workshops", "Membership")
    for workshop in apps.get_model("workshops", "Workshop").objects.all():
        members = membership.objects.filter(workshop=workshop).order_by("id")
        first = members.filter(role="builder").first() or members.first()
        if first is not None:
            first.role = "owner"
            first.save(update_fields=["role"])


def owners_build(apps, schema_editor):
    """Before there were owners, they built; readers did not exist."""
    membership = apps.get_model("workshops", "Membership")
    membership.objects.filter(role="owner").update(role="builder")
    membership.objects.filter(role="reader").update(role="checker")


class Migration(migrations.Migration):
    dependencies = [("workshops", "0001_initial")]
    operations = [
        migrations.AlterField(
            model_name="membership",
            name="role",
            field=models.CharField(
                choices=[("owner", "Owner"), ("builder", "Builder"), ("checker", "Checker"), ("reader", "Reader")], default="builder", max_length=10
            ),
        ),
        migrations.RunPython(earliest_owns, owners_build),
    ]
