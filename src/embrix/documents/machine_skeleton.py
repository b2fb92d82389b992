"""An abstract machine to begin with: an expression, an environment and a stack of frames.

Each part of a form that is evaluated outside of what it binds has a frame that waits for its value;
the frame holds the values before it, the parts behind it, and the environment if one is needed yet.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct


class MachineForm(Struct, frozen=True):
    """A form: its pattern, the parts that run in the order of the page, the other fields with their
    types; what is looked up, built, or done once all parts have values."""

    name: str
    pattern: str
    outer: tuple[str, ...]
    others: Mapping[str, str]
    made: str = ""
    """The value of a literal, or what is looked up; empty where parts run or all is a decision."""
    under: tuple[str, str] = ("", "")
    """The scope that runs under its one binder, once the only part has a value."""
    todo: str = ""


def machine_lines(sort: str, value: str, forms: Sequence[MachineForm], *, names: bool) -> list[str]:
    """The lines of an interpreter behind its values and errors."""
    scope = f", env: Env[{value}]" if names else ""
    env = ", env" if names else ""
    frames, back = [], []
    looks = []
    for form in forms:
        if form.made:
            looks.append(f"  {form.pattern} => back({form.made}, stack)")
            continue
        if not form.outer:
            looks.append(f"  {form.pattern} => {form.todo}")
            continue
        made = [_frame(form, number, sort, value, scope=scope) for number in range(len(form.outer))]
        frames += [f"  {name}({fields})" if fields else f"  {name}" for name, fields, _ in made]
        first = _held(made[0])
        looks.append(f"  {form.pattern} => go({form.outer[0]}{env}, [{first}, ..stack])")
        for number, frame in enumerate(made):
            lead = f"  [{_held(frame)}, ..stack] =>"
            if number + 1 < len(made):
                # The value that has come takes the place of its part in the next frame.
                following = _held(made[number + 1], {form.outer[number]: "v"})
                part = form.outer[number + 1]
                back.append(f"{lead} go({part}{env}, [{following}, ..stack])")
            elif form.under[0]:
                inside, binder = form.under
                back.append(f"{lead} go({inside}, env with {binder} = v, stack)")
            else:
                back.append(f"{lead} {form.todo}")
    if not frames:
        frames = ["  Waiting   # the frames are still to be chosen"]
        back = ['  [Waiting, .._] => todo "what waits for a value"']
    given = f", given: List[(Name, {value})]" if names else ""
    shown = "⟨{e}, {env}, {stack}⟩" if names else "⟨{e}, {stack}⟩"
    return [
        "data Frame", *frames, "",
        f'judgement go     "{shown} ↦ {{result}}"',
        'judgement back   "⟨{v}, {stack}⟩ ↦ {result}"', "", "main run", "",
        f"define run(p: {sort}{given}) -> {value}",
        f"  go(p{', empty with all given' if names else ''}, [])", "",
        f"define go(e: {sort}{scope}, stack: List[Frame]) -> {value} by e",
        '  "Looks at an expression: what runs first, and which frame waits for it."', *looks, "",
        f"define back(v: {value}, stack: List[Frame]) -> {value} by stack",
        '  "Goes back with a value to the frame that waits for it."', "  [] => v", *back,
    ]  # fmt: skip


def _frame(
    form: MachineForm, number: int, sort: str, value: str, *, scope: str
) -> tuple[str, str, list[str]]:
    """The frame that waits for a part: its name, its fields with their types, their names."""
    part = form.outer[number]
    fields = [f"{one}: {value}" for one in form.outer[:number]]
    fields += [f"{one}: {sort}" for one in form.outer[number + 1 :]]
    fields += [f"{one}: {kind}" for one, kind in form.others.items()]
    if scope and (number + 1 < len(form.outer) or sort in form.others.values()):
        fields.append(scope.removeprefix(", "))
    names = [field.partition(":")[0] for field in fields]
    return f"{form.name}{part[:1].upper()}{part[1:]}", ", ".join(fields), names


def _held(frame: tuple[str, str, list[str]], instead: Mapping[str, str] | None = None) -> str:
    """A frame built from, or matched with, what bears the names of its fields."""
    name, _, fields = frame
    inside = ", ".join((instead or {}).get(field, field) for field in fields)
    return f"{name}({inside})" if inside else name
