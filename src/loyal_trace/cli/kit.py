"""`kit`: groups, assignment and order list, of a job or of a parts list. `drawer`: the spare parts of the workshop."""

import argparse
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from loyal_trace.app.drawer import bought_items, item_from_words, item_words, load_drawer, save_drawer, with_state
from loyal_trace.app.job import OpenJob, find_job
from loyal_trace.app.workshop import load_workshop
from loyal_trace.cli.chips import own_library
from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.cli.parsing import store_of
from loyal_trace.core.assess.kit import board_place, kit_place, of_class, wanted_capacitors
from loyal_trace.core.assess.parts import in_stock, stock
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.parts.stock import STATE_WORDS, Offer, StockItem, state_word
from loyal_trace.core.planning.buying import Purchase, Wish, plan_purchase
from loyal_trace.core.planning.choices import ELECTROLYTICS, KIT_CHOICES, WHAT_IS_BAD
from loyal_trace.core.planning.kit import Kit, KitGroup, KitPlace, check_kit, plan_kit
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of, parse_quantity
from loyal_trace.formats.board_folder import load_board, parse_board
from loyal_trace.formats.drawer import parse_drawer, parse_offers
from loyal_trace.formats.part_table import board_from_table, guess_columns
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.tables import SPREADSHEET_ENDINGS, TABLE_ENDINGS, read_table
from loyal_trace.resources import default_tables
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store

_LISTS = (*TABLE_ENDINGS, *SPREADSHEET_ENDINGS, ".txt")


def run(options: argparse.Namespace) -> int:
    """One of the commands of this file."""
    if options.command == "kit":
        return kit(options)
    actions: Mapping[str, Callable[[argparse.Namespace], int]] = {
        "list": drawer_list,
        "add": drawer_add,
        "import": drawer_import,
        "state": drawer_state,
    }
    return actions[options.action](options)


def kit(options: argparse.Namespace) -> int:
    """The kit; 1 when something has to be bought, or a bought kit does not serve every place."""
    places, left = _gathered(options)
    limits = default_tables().capacitors
    if options.check is not None:
        return _checked(options, places)
    found = plan_kit(places, left, limits)
    purchase = None
    offers = _offers(options)
    if offers:
        wishes = [
            Wish(group.order, group.to_order, group.choices[0].place.place) for group in found.groups if group.buy
        ]
        purchase = plan_purchase(wishes, offers, limits, parse_quantity(options.hour_rate))
    if options.json:
        print_json(_document(found, purchase))
    else:
        _print(found, purchase)
    return 1 if any(group.buy for group in found.groups) else 0


def _offers(options: argparse.Namespace) -> tuple[Offer, ...]:
    """The offers of the file, else those that the workshop keeps."""
    if options.offers is not None:
        return parse_offers(read_file(options.offers), options.offers.name)
    return load_workshop(store_of(options)).offers


def _gathered(options: argparse.Namespace) -> tuple[list[KitPlace], list[tuple[StockItem, int]]]:
    """The places of all jobs and lists together, as one order; the drawer of the first."""
    places: list[KitPlace] = []
    left: list[tuple[StockItem, int]] = []
    for one in options.of:
        more, drawer = _of_list(options, one) if _is_list(one) else _of_job(options, one)
        # Two boards of one kind in two jobs are two boards.
        named = f"{one}: " if len(options.of) > 1 else ""
        places += [replace(place, ref=PartRef(f"{named}{place.ref.board}", place.ref.refdes)) for place in more]
        left = left or drawer
    return places, left


def _is_list(text: str) -> bool:
    path = Path(text)
    return path.exists() and (path.is_dir() or path.suffix.lower() in (*_LISTS, ".zip"))


def _chosen(options: argparse.Namespace, part: Part, choice: str) -> bool:
    value = part.value or 0.0
    if options.least and value < parse_quantity(options.least, "F") * 0.999:
        return False
    if options.most and value > parse_quantity(options.most, "F") * 1.001:
        return False
    return of_class(part, choice)


def _choice(options: argparse.Namespace, default: str) -> str:
    if not options.choice:
        return default
    found = next((name for name in KIT_CHOICES if name.startswith(options.choice.lower().strip())), "")
    if not found:
        known = joined(", ", KIT_CHOICES)
        raise RequestError(
            say("“{choice}” is not a class of capacitors; known: {known}", choice=options.choice, known=known)
        )
    return found


def _of_list(options: argparse.Namespace, of: str) -> tuple[list[KitPlace], list[tuple[StockItem, int]]]:
    """Places and drawer for the parts list of a board."""
    board = _board(options, Path(of))
    choice = _choice(options, ELECTROLYTICS)
    if choice == WHAT_IS_BAD:
        raise RequestError(say("a parts list has no readings; say which class of capacitors"))
    parts = [part for part in board.capacitors if _chosen(options, part, choice)]
    limits = default_tables().capacitors
    drawer = parse_drawer(read_file(options.drawer), str(options.drawer)) if options.drawer else ()
    return [board_place(board, board.id, part, limits) for part in parts], [(item, item.count) for item in drawer]


def _board(options: argparse.Namespace, path: Path) -> BoardDefinition:
    library = own_library(options.store)
    if path.is_dir() or path.suffix.lower() == ".zip":
        return load_board(path, library)
    table = read_table(read_file(path), path.name)
    return parse_board(board_from_table(table, guess_columns(table), "board", path.stem, library), path.stem, library)


def _of_job(options: argparse.Namespace, of: str) -> tuple[list[KitPlace], list[tuple[StockItem, int]]]:
    """Places and drawer of a job: what is to be replaced in it, or a class of its capacitors."""
    folder = store_of(options)
    if not (folder / DATABASE).exists():
        raise RequestError(say("{of}: no such file, and {folder} has no store", of=of, folder=folder))
    with Store(folder, read_only=True) as store:
        job = OpenJob(store, find_job(store, of))
        moment = job.moment
        refs = [one.place for one in wanted_capacitors(moment)]
        if options.choice and (choice := _choice(options, "")) != WHAT_IS_BAD:
            refs = [
                ref
                for ref in job.assessment().capacitors
                if of_class(moment.part(ref), choice) and ref not in moment.snapshot.parts.fitted
            ]
        wanted = [
            kit_place(moment, ref)
            for ref in refs
            if (not options.board or ref.board == options.board) and _chosen(options, moment.part(ref), "capacitors")
        ]
        if options.drawer:
            return wanted, [(i, i.count) for i in parse_drawer(read_file(options.drawer), str(options.drawer))]
        return wanted, [(item, in_stock(moment, item)) for item in stock(moment)]


def _checked(options: argparse.Namespace, places: Sequence[KitPlace]) -> int:
    found = check_kit(places, bought_items(read_file(options.check), options.check.name), default_tables().capacitors)
    if options.json:
        print_json(
            {
                "complete": found.complete,
                "missing": [{"marked": marked, "count": count} for marked, count in found.missing],
                "left_over": [{"number": number, "count": count} for number, count in found.left_over],
                "misfits": [{"number": n, "marked": marked, "why": why} for n, marked, why in found.misfits],
            }
        )
        return 0 if found.complete else 1
    for marked, count in found.missing:
        tell(say("missing: {count} × {marked}", count=count, marked=marked))
    for number, marked, why in found.misfits:
        tell(say("{number} does not do for {marked}: {why}", number=number, marked=marked, why=why))
    for number, count in found.left_over:
        tell(say("left over: {count} × {number}", count=count, number=number))
    if found.complete:
        tell(say("every place gets its part"))
    return 0 if found.complete else 1


def _document(found: Kit, purchase: Purchase | None) -> dict[str, Any]:
    document: dict[str, Any] = {
        "places": found.count,
        "from_drawer": found.from_drawer,
        "to_buy": sum(group.buy for group in found.groups),
        "groups": [_group(group) for group in found.groups],
        "assignment": [
            {
                "board": choice.place.ref.board,
                "place": choice.place.ref.refdes,
                "group": group.letter,
                "item": choice.item.number if choice.item else None,
                "from": choice.item.place if choice.item else None,
                "verdict": choice.judged.fits if choice.judged else "to-buy",
                "reasons": list(choice.judged.reasons) if choice.judged else [],
            }
            for group in found.groups
            for choice in group.choices
        ],
        "order": [
            {"what": group.order, "count": group.to_order, "needed": group.buy, "spares": group.spares}
            for group in found.groups
            if group.buy
        ],
    }
    if purchase is not None:
        document["purchase"] = _purchase(purchase)
    return document


def _group(group: KitGroup) -> dict[str, Any]:
    return {
        "group": group.letter,
        "count": len(group.choices),
        "marked": group.marked,
        "places": [ref.refdes for ref in group.places],
        "boards": sorted({ref.board for ref in group.places}),
        "replacement": sorted({choice.item.number for choice in group.choices if choice.item}),
        "verdict": group.fits,
        "reason": group.reason,
        "buy": group.buy,
        "spares": group.spares,
        "order": group.order,
    }


def _purchase(purchase: Purchase) -> dict[str, Any]:
    return {
        "lines": [
            {
                "for": line.wish.name,
                "shop": line.offer.shop,
                "number": line.offer.number,
                "count": line.count,
                "price": line.price,
                "days": line.offer.days,
            }
            for line in purchase.lines
        ],
        "missing": [wish.name for wish in purchase.missing],
        "shops": list(purchase.shops),
        "parts": purchase.parts,
        "shipping": purchase.shipping,
        "work": purchase.work,
        "total": purchase.total,
        "days": purchase.days,
    }


def _print(found: Kit, purchase: Purchase | None) -> None:
    told = say("{places}, {groups}", places=count_of(found.count, "place"), groups=count_of(len(found.groups), "group"))
    tell(
        say(
            "{told}: {drawer} from the drawer, {buy} to buy",
            told=told,
            drawer=found.from_drawer,
            buy=found.count - found.from_drawer,
        )
    )
    rows = []
    for group in found.groups:
        items = dict.fromkeys(
            c.item.number + f" ({c.item.place})" * bool(c.item.place) for c in group.choices if c.item
        )
        buy = [say("buy {count} × {what}", count=group.to_order, what=group.order)] if group.buy else []
        spare = [say("{spares} of them spare", spares=group.spares)] if group.buy and group.spares else []
        care = [group.reason] if group.reason else []
        names = joined(" ", (ref.refdes for ref in group.places))
        rows.append(
            (group.letter, f"{len(group.choices)}×", group.marked, names, joined("; ", [*items, *buy, *spare, *care]))
        )
    print_table(rows)
    if purchase is None:
        return
    for line in purchase.lines:
        tell(
            say(
                "order from {shop}: {count} × {number}, {price:.2f}",
                shop=line.offer.shop,
                count=line.count,
                number=line.offer.number,
                price=line.price,
            )
        )
    for wish in purchase.missing:
        tell(say("no shop has {name}", name=wish.name))
    tell(
        say(
            "in total {total:.2f}: parts {parts:.2f}, shipping {shipping:.2f}, time {work:.2f}; {days:g} days",
            total=purchase.total,
            parts=purchase.parts,
            shipping=purchase.shipping,
            work=purchase.work,
            days=purchase.days,
        )
    )


# the drawer


def drawer_list(options: argparse.Namespace) -> int:
    """Everything in the drawer."""
    items = load_drawer(store_of(options)).items
    if options.json:
        print_json({"items": [_item(item) for item in items]})
        return 0
    for item in items:
        tell(item_words(item))
    if not items:
        tell(say("The drawer is empty. Add to it, for example: drawer add 3x 74LS166 in tray 3, untested"))
    return 0


def _item(item: StockItem) -> dict[str, Any]:
    return {
        "number": item.number,
        "kind": item.kind,
        "count": item.count,
        "place": item.place,
        "state": state_word(item.state),
        "for": item.keeper,
        "donor": item.donor,
    }


def drawer_add(options: argparse.Namespace) -> int:
    """One more item."""
    item = item_from_words(" ".join(options.words))
    folder = store_of(options)
    save_drawer(folder, load_drawer(folder).added(item))
    print_json({"added": _item(item)}) if options.json else tell(say("Added: {item}.", item=item_words(item)))
    return 0


def drawer_import(options: argparse.Namespace) -> int:
    """Adds the items of a list."""
    items = parse_drawer(read_file(options.file), str(options.file))
    folder = store_of(options)
    drawer = load_drawer(folder)
    for item in items:
        drawer = drawer.added(item)
    save_drawer(folder, drawer)
    said = say("{items} added to the drawer", items=count_of(len(items), "item"))
    print_json({"added": [_item(item) for item in items]}) if options.json else tell(said)
    return 0


def drawer_state(options: argparse.Namespace) -> int:
    """An item in another state."""
    folder = store_of(options)
    state = STATE_WORDS[options.state]
    drawer, item = with_state(load_drawer(folder), options.number, state, options.place, options.keeper)
    save_drawer(folder, drawer)
    print_json(_item(item)) if options.json else tell(item_words(item))
    return 0
