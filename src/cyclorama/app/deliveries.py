"""Deliveries: made, in the background or at once, and copied to where they are wanted."""

import os
import secrets
import shutil
from pathlib import Path

from pydantic import BaseModel

from ..core.cut.document import Cut
from ..core.delivery.presets import Delivery
from ..core.delivery.verify import Opened
from ..core.errors import ShootError
from ..shoot.finish.deliver import file_name, folder_of, hand_over, remove_files
from ..store import Studio
from ..store.cuts import Handed
from ..store.jobs import Job, Result
from .confined_results import Tell
from .jobs import JobContext, JobRunner, Kind

FAULT = "It could not be delivered; the terminal that runs Cyclorama tells more."


class DeliverySpec(BaseModel):
    """Specification of a delivery job."""

    delivery_id: str


def ask_for_delivery(work: JobRunner, handed: Handed) -> Job:
    """Have a delivery made."""
    return work.ask("delivery", handed.id, handed.name, DeliverySpec(delivery_id=handed.id))


def delivery_kind(studio: Studio) -> Kind:
    """Job kind that makes deliveries: one after the other, as each takes all of the machine."""

    def do(job: Job, hand: JobContext) -> Result:
        handed = studio.cuts.one(DeliverySpec.model_validate_json(job.spec).delivery_id)
        found = hand_over(studio, handed, hand.tell)
        return {"name": handed.name, "fine": int(all(x.fine for x in found))}

    return Kind(do, FAULT, at_once=1)


def make_delivery(
    studio: Studio, project_id: str, cut: Cut, delivery: Delivery, name: str, tell: Tell
) -> tuple[Path, list[Opened]]:
    """Make a delivery now: its file, or folder of frames, and the findings of opening it again. Raises CycloramaError;
    a delivery that fails leaves nothing behind."""
    handed = studio.cuts.hand_over(project_id, file_name(name, delivery), delivery, cut)
    try:
        found = hand_over(studio, handed, tell)
        # a file that had to become smaller has another name by now
        return folder_of(studio, project_id) / studio.cuts.one(handed.id).name, found
    except BaseException:  # also Ctrl+C: who asks again begins another
        remove_files(studio, handed)
        studio.cuts.forget(handed.id)
        raise


def copy_out(made: Path, target: Path) -> None:
    """Copy a delivered file or folder. The target is complete or does not exist. Raises ShootError."""
    part = target.with_name(f".{target.name}.{secrets.token_hex(4)}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if made.is_dir():
            shutil.copytree(made, part)
        else:
            shutil.copyfile(made, part)
        os.replace(part, target)
    except OSError as error:
        shutil.rmtree(part, ignore_errors=True)
        part.unlink(missing_ok=True)
        raise ShootError(f"‘{target}’ cannot be written: {error.strerror or error}.") from error
