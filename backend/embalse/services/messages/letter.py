"""The morning letter: today's sets, what did not run, what to go and see, what does not fit; as text and as HTML."""

from dataclasses import dataclass
from html import escape

from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.acting.tonight import NightSetOut, TonightContent, tonight_content
from embalse.services.advice.advise import round_content
from embalse.services.load import clock
from embalse.services.load.schemas import BlockAdvice, RoundContent
from embalse.services.planning.plan import PlanContent, UnfitOut, plan_content
from embalse.services.reader import reader, say

PLAN_DAYS = 3


@dataclass(frozen=True)
class Line:
    """A line of a letter: what it is about, what is said, and the path of the page it leads to."""

    name: str
    says: str
    path: str


@dataclass(frozen=True)
class Part:
    """A part of a letter with its heading; it is left out where it has no lines."""

    heading: str
    lines: list[Line]


@dataclass(frozen=True)
class Letter:
    """A message: its title, plain text and HTML."""

    title: str
    plain: str
    html: str


def morning_letter(base: str, moment: str | None = None) -> Letter:
    """The letter of a morning at a farm-local moment (now if None), in the reader's units.

    Parameters
    ----------
    base : str
        Address of this Embalse, before the path of a page.
    moment : str, optional

    Raises
    ------
    Conflict
        If no farm is set up.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    told, night = round_content(moment, with_working=False), tonight_content(moment)
    plan = plan_content(moment, PLAN_DAYS, quick=True)
    day = times.local_day(now, farm.time_zone)
    title = say(Notice("letter.title", farm=farm.name, on_day=day, sentence=told.sentence))
    return written(title, [_today(told), _did_not_run(night), _tonight(night), _no_place(plan), _to_see(told)], base)


def _today(told: RoundContent) -> Part:
    due = [b for b in told.blocks if b.group == "act"]
    lines = [Line(b.name, _advised(b), f"/block/{b.key}") for b in due]
    return Part(say("Needs water today"), lines or [Line("", say(Notice("letter.nothing")), "/")])


def _advised(block: BlockAdvice) -> str:
    if block.advised is None:
        return block.why
    minutes = block.advised.all_sets_min or block.advised.set_time_min
    words = Notice("letter.set", net_mm=block.advised.net_mm, set_h=minutes / 60 if minutes else None)
    return "; ".join(t for t in (say(words), block.why) if t)


def _set(one: NightSetOut) -> str:
    start, end = one.start[11:16], one.end[11:16]
    hours = say(Notice("letter.hours", start_time=start, end_time=end))
    return f"{one.name}, {one.shift}: {hours}" if one.shift else f"{one.name}: {hours}"


def _did_not_run(night: TonightContent) -> Part:
    odd = [s for s in night.done if s.state == "failed" or s.unsure or s.short_mm]
    return Part(say("Did not run as planned"), [
        Line("", "; ".join(t for t in (_set(s), _failed(s), say(s.note)) if t), "/tonight") for s in odd
    ])  # fmt: skip


def _failed(one: NightSetOut) -> str:
    return say(one.state) if one.state == "failed" else ""


def _tonight(night: TonightContent) -> Part:
    return Part(say("Tonight"), [Line("", _set(s), "/tonight") for s in night.sets])


def _no_place(plan: PlanContent) -> Part:
    heading = say(Notice("letter.no_place", ahead_days=PLAN_DAYS))
    return Part(heading, [Line(u.name, _lacks(u), "/plan") for u in plan.unfit if u.supply])


def _lacks(one: UnfitOut) -> str:
    if one.parts <= 1:
        return one.lacks
    return say(Notice("letter.parts", left=one.left, parts=one.parts, why=one.lacks))


def _to_see(told: RoundContent) -> Part:
    return Part(say("Go and see"), [Line(v.name, v.why, f"/stations/{v.station}") for v in told.to_see])


def written(title: str, parts: list[Part], base: str) -> Letter:
    """A letter as plain text and as HTML without anything from outside."""
    kept = [p for p in parts if p.lines]
    plain, html = [title, ""], [f"<h1 style='font-size:19px'>{escape(title)}</h1>"]
    for part in kept:
        plain.append(part.heading.upper())
        html.append(f"<h2 style='font-size:16px;margin:18px 0 4px'>{escape(part.heading)}</h2><ul>")
        for line in part.lines:
            said = f"{line.name}: {line.says}" if line.name else line.says
            plain += [f"- {said}", f"  {base}{line.path}"]
            name = escape(line.name or line.says)
            rest = f": {escape(line.says)}" if line.name else ""
            html.append(f"<li><a href='{escape(base + line.path, quote=True)}'>{name}</a>{rest}</li>")
        plain.append("")
        html.append("</ul>")
    judgement = say("Judgement stays with you; follow local rules on water use.")
    plain += [judgement, base]
    html.append(f"<p style='color:#5c5546'>{escape(judgement)}</p>")
    body = "".join(html)
    head = f"<!doctype html><html lang='{reader().language}'>"
    page = f"{head}<body style='font-family:sans-serif;color:#1e1b16'>{body}</body></html>"
    return Letter(title, "\n".join(plain) + "\n", page)
