"""Edges between panes that can be moved, by key and with the mouse, and what is kept of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal, Self

from msgspec import Struct
from rich.text import Text
from textual import events
from textual.screen import Screen
from textual.widget import Widget

from embrix.tui.theme import ink

Along = Literal["width", "height", ""]
WHOLE = 10_000
"""What the shares of two panes come to together."""
LEAST = {"width": 16, "height": 4}
"""Columns and lines that a pane keeps."""
STRIDE = {"width": 3, "height": 1}
"""Columns and lines that one key moves an edge by."""


class Edge(Struct, frozen=True):
    """The edge between two panes, given by their ids: what it divides on a wide screen, and on a
    narrow one, where it may divide nothing, or only while the screen has a class."""

    before: str
    after: str
    wide: Along
    narrow: Along = ""
    narrow_class: str = ""

    def along(self, screen: Widget) -> Along:
        """What is divided now."""
        if not screen.has_class("narrow"):
            return self.wide
        return self.narrow if screen.has_class(*self.narrow_class.split()) else ""

    def panes(self, screen: Widget) -> tuple[Widget, Widget] | None:
        """The two panes, where both can be seen."""
        found = [*screen.query(f"#{self.before}"), *screen.query(f"#{self.after}")]
        if len(found) != 2 or not all(one.region.area for one in found):
            return None
        return found[0], found[1]


class EdgedScreen(Screen[None]):
    """A screen with edges that can be moved; an edge inside a pane comes before those around it."""

    EDGES: ClassVar[tuple[Edge, ...]] = ()

    def __init__(self) -> None:
        super().__init__()
        self.own_heights: dict[str, int] = {}
        """Lines that panes take by what is in them, on a wide screen, until they are given others;
        by id."""

    @property
    def pane_sizes(self) -> dict[str, int]:
        """The share of the pane before each edge that has been moved, of `WHOLE`, by layout and
        pane."""
        raise NotImplementedError

    @property
    def layout_name(self) -> str:
        """What this screen and the present arrangement are called in what is kept."""
        raise NotImplementedError

    def say(self, text: str, colour: str = "ink") -> None:
        raise NotImplementedError

    def on_mount(self) -> None:
        self.place_edges()

    def set_class(self, add: bool, *class_names: str, update: bool = True) -> Self:
        return self.update_classes(dict.fromkeys(class_names, add), update)

    def update_classes(
        self, classes: Mapping[str, bool], update: bool = True, animate: bool = True
    ) -> Self:
        before = self.classes
        super().update_classes(classes, update, animate)
        if self.classes != before:
            self.place_edges()
        return self

    def _key(self, edge: Edge) -> str:
        narrow = " narrow" if self.has_class("narrow") else ""
        return f"{self.layout_name}{narrow}/{edge.before}"

    def place_edges(self) -> None:
        """Give every pane the share that is kept for it in this layout."""
        for edge in self.EDGES:
            along = edge.along(self)
            share = self.pane_sizes.get(self._key(edge)) if along else None
            for pane, part in ((edge.before, share), (edge.after, WHOLE - (share or 0))):
                for widget in self.query(f"#{pane}"):
                    own = None if self.has_class("narrow") else self.own_heights.get(pane)
                    given = None if share is None else f"{part}fr"
                    widget.styles.width = given if along == "width" else None
                    widget.styles.height = given if along == "height" and given else own

    # ---------------------------------------------------------------- moving

    def edge_of(self, widget: Widget) -> Edge | None:
        """The edge that is moved by dragging a widget: the grip between two panes beside each
        other, or the title over the lower of two."""
        for edge in self.EDGES:
            along, panes = edge.along(self), edge.panes(self)
            if along and panes:
                x, y = panes[1].region.offset
                if isinstance(widget, Grip) and widget.edge == edge.before:
                    return edge
                above = widget.region.y in (y, y - 1) and widget.region.x == x
                if along == "height" and above and not isinstance(widget, Grip):
                    return edge
        return None

    def sizes_at(self, edge: Edge) -> tuple[int, int]:
        """Columns or lines of the panes before and after an edge that can be seen; also of an edge
        that has just been moved, before the screen is laid out anew."""
        panes, along = edge.panes(self), edge.along(self)
        if panes is None or not along:
            return 0, 0
        before, after = (int(getattr(one.outer_size, along)) for one in panes)
        share = self.pane_sizes.get(self._key(edge))
        if share is not None:
            before, after = (first := share * (before + after) // WHOLE), before + after - first
        return before, after

    def move_edge(self, edge: Edge, size: int) -> bool:
        """Give the pane before an edge a size, as far as both keep a least one; whether the edge
        has moved."""
        along, (before, after) = edge.along(self), self.sizes_at(edge)
        whole = before + after
        if not along or not whole:
            return False
        least = min(LEAST[along], whole // 2)
        size = max(least, min(size, whole - least))
        if size == before:
            return False
        self.pane_sizes[self._key(edge)] = -(-size * WHOLE // whole)
        self.place_edges()
        return True

    def action_resize(self, along: Literal["width", "height"], sign: int) -> None:
        """Make the pane with the focus larger or smaller by moving its nearest edge."""
        focused = self.focused
        inside = {one.id for one in focused.ancestors_with_self} if focused is not None else set()
        for edge in self.EDGES:
            mine = inside & {edge.before, edge.after}
            if edge.along(self) == along and mine and edge.panes(self):
                towards = sign if edge.before in mine else -sign
                moved = self.move_edge(edge, self.sizes_at(edge)[0] + towards * STRIDE[along])
                if not moved:
                    self.say("there is no more room on that side", "brass")
                return
        other = "beside" if along == "width" else "above or below"
        self.say(f"no pane {other} this one could give or take room", "brass")

    def action_even_out(self) -> None:
        """All edges of this layout back to where they are by themselves."""
        for edge in self.EDGES:
            self.pane_sizes.pop(self._key(edge), None)
        self.place_edges()
        self.say("the panes have their own sizes again")


class Handle(Widget):
    """Something that moves an edge when it is dragged, where there is one beside it."""

    ALLOW_SELECT = False
    _dragged: tuple[Edge, int, int] | None = None
    """The edge, the size of the pane before it, and where the mouse was pressed."""

    def on_mouse_down(self, event: events.MouseDown) -> None:
        screen, edge = self._edge()
        if screen is not None and edge is not None:
            self._dragged = edge, screen.sizes_at(edge)[0], _place(event, edge.along(screen))
            self.capture_mouse()
            self.add_class("dragged")
            self.refresh()

    def on_mouse_move(self, event: events.MouseMove) -> None:
        screen = self.screen
        if self._dragged is not None and isinstance(screen, EdgedScreen):
            edge, size, pressed = self._dragged
            screen.move_edge(edge, size + _place(event, edge.along(screen)) - pressed)

    def on_mouse_up(self) -> None:
        if self._dragged is not None:
            self._dragged = None
            self.release_mouse()
            self.remove_class("dragged")
            self.refresh()

    def on_enter(self) -> None:
        self.set_class(self._edge()[1] is not None, "handle")
        self.refresh()

    def on_leave(self) -> None:
        self.remove_class("handle")
        self.refresh()

    def _edge(self) -> tuple[EdgedScreen | None, Edge | None]:
        screen: Screen[Any] = self.screen
        if not isinstance(screen, EdgedScreen):
            return None, None
        return screen, screen.edge_of(self)


def _place(event: events.MouseEvent, along: Along) -> int:
    return int(event.screen_x if along == "width" else event.screen_y)


class Grip(Handle):
    """The strip between two panes, by which their edge is dragged."""

    DEFAULT_CSS = """
    Grip { width: 1; height: 1fr; background: $lock-ground; }
    """

    def __init__(self, edge: str) -> None:
        """`edge` is the pane before it."""
        super().__init__(classes=f"{edge}-grip")
        self.edge = edge

    def render(self) -> Text:
        width, height = self.size
        held = self.has_class("handle") or self.has_class("dragged")
        look = ink(self.app, "brass" if held else "deep", bold=held)
        if height == 1 < width:
            return Text(("━" if held else "┄") * width, look, no_wrap=True)
        middle = range((height - 3) // 2, (height - 3) // 2 + 3)
        return Text(
            "\n".join("┃" if held else "┆" if line in middle else " " for line in range(height)),
            look,
        )
