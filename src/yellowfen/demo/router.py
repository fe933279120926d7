"""A small two-layer grid router for the demo board: A* over a 0.25 mm grid, tracks 0.2 mm,
clearance 0.15 mm.

It exists so that the demo's copper looks and conducts like a board's; it is no tool for users.
"""

import heapq
import itertools
import math
from collections.abc import Iterable

import numpy as np

PITCH_MM, TRACK_MM, CLEAR_MM, VIA_MM, DRILL_MM = 0.25, 0.2, 0.15, 0.6, 0.3
Node = tuple[int, int, int]
_FREE, _SHARED = 0, -1


class Router:
    """Occupied grid of two layers; nets are positive numbers."""

    def __init__(self, width_mm: float, height_mm: float) -> None:
        self.nx, self.ny = int(width_mm / PITCH_MM) + 1, int(height_mm / PITCH_MM) + 1
        self.track = np.zeros((2, self.ny, self.nx), dtype=np.int32)
        self.via = np.zeros((self.ny, self.nx), dtype=np.int32)
        self.soft_track = np.zeros_like(self.track)
        self.soft_via = np.zeros_like(self.via)
        self.history = np.zeros((2, self.ny, self.nx), dtype=np.float32)
        edge = int(0.6 / PITCH_MM)
        for grid in (self.track[0], self.track[1], self.via):
            grid[:edge], grid[-edge:], grid[:, :edge], grid[:, -edge:] = (
                _SHARED,
                _SHARED,
                _SHARED,
                _SHARED,
            )

    def _mark(
        self,
        grid: "np.ndarray[tuple[int, ...], np.dtype[np.int32]]",
        net: int,
        x: float,
        y: float,
        half_x: float,
        half_y: float,
    ) -> None:
        x0, x1 = (
            max(math.ceil((x - half_x) / PITCH_MM + 1e-6), 0),
            min(math.floor((x + half_x) / PITCH_MM - 1e-6), self.nx - 1),
        )
        y0, y1 = (
            max(math.ceil((y - half_y) / PITCH_MM + 1e-6), 0),
            min(math.floor((y + half_y) / PITCH_MM - 1e-6), self.ny - 1),
        )
        if x1 >= x0 and y1 >= y0:
            view = grid[y0 : y1 + 1, x0 : x1 + 1]
            view[:] = np.where((view == _FREE) | (view == net), net, _SHARED)

    def block(
        self, net: int, layers: Iterable[int], x: float, y: float, half_x: float, half_y: float
    ) -> None:
        """Take the place of a rectangle (pad, track, hole) for a net."""
        for layer in layers:
            reach = CLEAR_MM + TRACK_MM / 2
            self._mark(self.track[layer], net, x, y=y, half_x=half_x + reach, half_y=half_y + reach)
        reach = CLEAR_MM + VIA_MM / 2
        self._mark(self.via, net, x, y=y, half_x=half_x + reach, half_y=half_y + reach)

    def no_via(self, x: float, y: float, half_x: float, half_y: float) -> None:
        """Keep vias out of a pad, where they would steal its solder."""
        self._mark(
            self.via, _SHARED, x, y=y, half_x=half_x + VIA_MM / 2, half_y=half_y + VIA_MM / 2
        )

    def pad_nodes(self, layer: int, x: float, y: float, half_x: float, half_y: float) -> list[Node]:
        """Grid nodes within a pad, at least the nearest one."""
        inside = [
            (layer, iy, ix)
            for iy in range(
                math.ceil((y - half_y) / PITCH_MM), math.floor((y + half_y) / PITCH_MM) + 1
            )
            for ix in range(
                math.ceil((x - half_x) / PITCH_MM), math.floor((x + half_x) / PITCH_MM) + 1
            )
        ]
        return inside or [(layer, round(y / PITCH_MM), round(x / PITCH_MM))]

    def connect(self, net: int, sources: set[Node], targets: set[Node]) -> list[Node] | None:
        """The cheapest path from any source to any target, or None; a via costs ten steps."""
        aim_y, aim_x = (sum(node[i] for node in targets) / len(targets) for i in (1, 2))
        heap = [(abs(y - aim_y) + abs(x - aim_x), 0.0, (layer, y, x)) for layer, y, x in sources]
        heapq.heapify(heap)
        cost = dict.fromkeys(sources, 0.0)
        came: dict[Node, Node] = {}
        while heap:
            _, so_far, node = heapq.heappop(heap)
            if node in targets:
                return self._path(node, came)
            if so_far > cost[node]:
                continue
            for step, price in self._neighbours(net, node, targets):
                total = so_far + price
                if total < cost.get(step, math.inf):
                    cost[step], came[step] = total, node
                    heapq.heappush(
                        heap,
                        (total + 0.9 * math.hypot(step[1] - aim_y, step[2] - aim_x), total, step),
                    )
        return None

    def _neighbours(self, net: int, node: Node, targets: set[Node]) -> Iterable[tuple[Node, float]]:
        layer, y, x = node
        for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1)):
            step = (layer, y + dy, x + dx)
            if (
                0 <= step[1] < self.ny
                and 0 <= step[2] < self.nx
                and (self.track[step] in (_FREE, net) or step in targets)
            ):
                length = 1.0 if dy == 0 or dx == 0 else 1.42
                yield (
                    step,
                    length * (1.15 if layer else 1.0)
                    + self._toll(self.soft_track[step], net, step),
                )
        if self.via[y, x] in (_FREE, net) and self.track[1 - layer, y, x] in (_FREE, net):
            step = (1 - layer, y, x)
            yield step, 10.0 + 2 * self._toll(self.soft_via[y, x], net, step)

    def _toll(self, owner: int, net: int, node: Node) -> float:
        """What passing through another net's track costs: that net will be routed again."""
        return float(self.history[node]) + (6.0 if owner not in (_FREE, net) else 0.0)

    def lay(self, net: int, path: list[Node]) -> None:
        """Mark a path as taken by a net, for the time being."""
        for before, (layer, y, x) in zip([path[0], *path], path, strict=False):
            reach = CLEAR_MM + TRACK_MM
            self._own(self.soft_track[layer], net, x, y, reach)
            self._own(self.soft_via, net, x, y, CLEAR_MM + TRACK_MM / 2 + VIA_MM / 2)
            if before[0] != layer:
                for other in (0, 1):
                    self._own(
                        self.soft_track[other], net, x, y, CLEAR_MM + VIA_MM / 2 + TRACK_MM / 2
                    )
                self._own(self.soft_via, net, x, y, CLEAR_MM + VIA_MM)

    def _own(
        self,
        grid: "np.ndarray[tuple[int, ...], np.dtype[np.int32]]",
        net: int,
        x: int,
        y: int,
        reach: float,
    ) -> None:
        steps = math.floor(reach / PITCH_MM - 1e-6)
        grid[max(y - steps, 0) : y + steps + 1, max(x - steps, 0) : x + steps + 1] = net

    def in_the_way(self, net: int, path: list[Node]) -> set[int]:
        """Nets whose tracks a path runs into; the places are remembered as dear."""
        owners = set()
        for before, node in zip([path[0], *path], path, strict=False):
            found = {int(self.soft_track[node])} | (
                {int(self.soft_via[node[1:]])} if before[0] != node[0] else set()
            )
            if found - {_FREE, net}:
                owners |= found - {_FREE, net}
                self.history[node] += 1.5
        return owners

    def relay(self, laid: dict[int, list[list[Node]]]) -> None:
        """Forget all temporary marks and lay these paths again."""
        self.soft_track[:], self.soft_via[:] = _FREE, _FREE
        for net, paths in laid.items():
            for path in paths:
                self.lay(net, path)

    @staticmethod
    def _path(node: Node, came: dict[Node, Node]) -> list[Node]:
        path = [node]
        while node in came:
            node = came[node]
            path.append(node)
        return path[::-1]

    def take(
        self, net: int, path: list[Node]
    ) -> tuple[list[tuple[int, list[tuple[float, float]]]], list[tuple[float, float]]]:
        """Occupy a path; returns its tracks (layer, corner points) and vias in mm."""
        tracks: list[tuple[int, list[tuple[float, float]]]] = []
        vias = []
        run = [path[0]]
        for before, node in itertools.pairwise(path):
            if before[0] != node[0]:
                tracks.append((before[0], _corners(run)))
                vias.append((node[2] * PITCH_MM, node[1] * PITCH_MM))
                run = [node]
            else:
                run.append(node)
        tracks.append((run[0][0], _corners(run)))
        for layer, y, x in path:
            self.block(
                net,
                (layer,),
                x * PITCH_MM,
                y=y * PITCH_MM,
                half_x=TRACK_MM / 2,
                half_y=TRACK_MM / 2,
            )
        for x_mm, y_mm in vias:
            self.block(net, (0, 1), x_mm, y=y_mm, half_x=VIA_MM / 2, half_y=VIA_MM / 2)
        return [track for track in tracks if len(track[1]) > 1], vias


def _corners(run: list[Node]) -> list[tuple[float, float]]:
    """The run with points on straight stretches left out, in mm."""
    points = [(x * PITCH_MM, y * PITCH_MM) for _, y, x in run]
    kept = points[:1]
    for before, here, after in zip(points[:-2], points[1:-1], points[2:], strict=True):
        if (here[0] - before[0], here[1] - before[1]) != (after[0] - here[0], after[1] - here[1]):
            kept.append(here)
    return [*kept, points[-1]] if len(points) > 1 else kept
