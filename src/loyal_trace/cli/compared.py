"""`job plan --compare`: the repair orders and the schools side by side."""

from collections.abc import Mapping
from typing import Any

from loyal_trace.app.job import OpenJob
from loyal_trace.cli.output import print_table, tell
from loyal_trace.core.assess.compare import Comparison, School, comparison_of, own_order_words
from loyal_trace.core.assess.extras import extras_of
from loyal_trace.core.assess.purchase import purchase_of
from loyal_trace.core.planning.orders import Block, RepairOrder
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.units import format_percent


def comparison_document(job: OpenJob) -> dict[str, Any]:
    """The comparison as a document."""
    found: Comparison = comparison_of(job.moment)
    return {
        "orders": [_order(order) for order in found.orders],
        "sockets": [_school(school) for school in found.sockets],
        "first_power": [_school(school) for school in found.first_power],
        "own_order": own_order_words(job.moment),
    }


def _order(order: RepairOrder) -> dict[str, Any]:
    return {
        "grouping": order.grouping,
        "sequence": order.sequence,
        "minutes": order.minutes,
        "days": order.days,
        "expected_minutes_until_found": order.found,
        "culprit_known": order.known,
        "mix_up_risk": order.mix_up,
        "damage_risk": order.damage,
        "exact": order.exact,
        "bound": order.bound,
        "gap": order.gap,
        "timeline": [_block(block) for block in order.blocks],
    }


def _block(block: Block) -> dict[str, Any]:
    places = [task.name for task in block.tasks]
    return {"kind": block.kind, "places": places, "minutes": block.minutes, "days": block.days}


def _school(school: School) -> dict[str, Any]:
    return {
        "school": school.name,
        "why": school.why,
        "minutes": school.minutes,
        "damage_risk": school.damage,
        "note": school.known,
    }


def print_comparison(document: dict[str, Any]) -> None:
    """The comparison as tables."""
    if not document["orders"]:
        tell(say("no step is open, so there is nothing to compare"))
        return
    rows = [
        (
            say("repair order"),
            say("bench"),
            say("days"),
            say("found by"),
            say("culprit known"),
            say("mix-up"),
            say("damage"),
            say("from the best"),
        )
    ]
    for one in document["orders"]:
        gap = say("is the best") if one["exact"] else say("at most {gap} off", gap=format_percent(one["gap"]))
        rows.append(
            (
                say("{grouping}, {sequence}", grouping=term(one["grouping"]), sequence=term(one["sequence"])),
                say("{minutes:.0f} min", minutes=one["minutes"]),
                say("{days:g}", days=one["days"]),
                say("{minutes:.0f} min", minutes=one["expected_minutes_until_found"]),
                format_percent(one["culprit_known"]),
                format_percent(one["mix_up_risk"]),
                format_percent(one["damage_risk"]),
                gap if one["sequence"] == "soonest found" else "",
            )
        )
    print_table(rows)
    for name in ("sockets", "first_power"):
        for school in document[name]:
            tell(
                say(
                    "  {school}: {minutes:.0f} min more, damage {damage}; {why}; {note}",
                    school=term(school["school"]),
                    minutes=school["minutes"],
                    damage=format_percent(school["damage_risk"]),
                    why=school["why"],
                    note=school["note"],
                )
            )
    if document["own_order"]:
        tell(say("As planned now, {own}.", own=document["own_order"]))


def extras_document(job: OpenJob) -> dict[str, Any]:
    """What is done beyond the evidence, in the plan, offered or left out; and the orders to shops."""
    found: dict[str, Any] = {
        "extras": [
            {
                "board": one.place.board,
                "place": one.place.refdes,
                "kind": one.kind,
                "what": one.what,
                "why": one.why,
                "state": one.ticked,
                "reason": one.reason,
                "way_back": one.back,
            }
            for one in extras_of(job.moment)
        ]
    }
    purchase = purchase_of(job.moment, job.assessment().plan)
    if purchase is not None:
        found["purchase"] = {
            "total": purchase.total,
            "days": purchase.days,
            "lines": [
                {"shop": b.offer.shop, "number": b.offer.number, "count": b.count, "price": b.price, "for": b.wish.name}
                for b in purchase.lines
            ],
            "missing": [wish.name for wish in purchase.missing],
        }
    return found


def print_extras(document: Mapping[str, Any]) -> None:
    """The same as lines."""
    words = {"in": say("in the plan"), "offered": say("offered"), "out": say("left out")}
    for one in document["extras"]:
        tell(
            say(
                "  {place}, {kind} ({state}): {what}, because {why}",
                place=one["place"],
                kind=term(one["kind"]),
                state=words[one["state"]],
                what=one["what"],
                why=(one["reason"] or say("no reason was entered")) if one["state"] == "out" else one["why"],
            )
        )
    for line in document.get("purchase", {}).get("lines", ()):
        tell(
            say(
                "  order from {shop}: {count} × {number}, {price:.2f}",
                shop=line["shop"],
                count=line["count"],
                number=line["number"],
                price=line["price"],
            )
        )
