"""Deliveries in the background."""

from pydantic import BaseModel

from ..shoot.finish.deliver import hand_over
from ..store import Studio
from ..store.cuts import Handed
from ..store.jobs import Job, Result
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
