"""A plain Gerber X2 and drill writer for the demo board's own layers (mm, format 4.6)."""

from shapely.geometry import Polygon


class GerberWriter:
    """Collects flashes, strokes and regions of one layer."""

    def __init__(self, function: str) -> None:
        self.apertures: dict[str, int] = {}
        self.body: list[str] = []
        self.head = [
            "%TF.GenerationSoftware,Yellowfen,demo,1*%",
            f"%TF.FileFunction,{function}*%",
            "%FSLAX46Y46*%",
            "%MOMM*%",
        ]
        self.current = 0

    def _use(self, definition: str) -> None:
        code = self.apertures.setdefault(definition, 10 + len(self.apertures))
        if code != self.current:
            self.body.append(f"D{code}*")
            self.current = code

    @staticmethod
    def _at(x: float, y: float) -> str:
        return f"X{round(x * 1e6)}Y{round(y * 1e6)}"

    def flash_rectangle(
        self, x: float, y: float, width: float, height: float, given: str = ""
    ) -> None:
        """`given` are attributes of this one object."""
        self._use(f"R,{width:.4f}X{height:.4f}")
        self.body.append(f"{given}{self._at(x, y)}D03*" + ("\n%TD*%" if given else ""))

    def flash_circle(self, x: float, y: float, diameter: float) -> None:
        self._use(f"C,{diameter:.4f}")
        self.body.append(f"{self._at(x, y)}D03*")

    def stroke(self, points: list[tuple[float, float]], width: float) -> None:
        self._use(f"C,{width:.4f}")
        self.body.append(f"G01*\n{self._at(*points[0])}D02*")
        self.body += [f"{self._at(x, y)}D01*" for x, y in points[1:]]

    def region_with_holes(self, polygon: Polygon) -> None:
        """A dark region whose holes are cleared after it; draw larger pieces first."""
        self._ring("D", polygon.exterior.coords)
        for hole in polygon.interiors:
            self._ring("C", hole.coords)
        self.body.append("%LPD*%")

    def _ring(self, polarity: str, coords: object) -> None:
        points = list(coords)  # type: ignore[call-overload]
        self.body.append(f"%LP{polarity}*%\nG36*\nG01*\n{self._at(*points[0])}D02*")
        self.body += [f"{self._at(x, y)}D01*" for x, y in points[1:]]
        self.body.append("G37*")

    def finish(self) -> bytes:
        definitions = [f"%ADD{code}{definition}*%" for definition, code in self.apertures.items()]
        return ("\n".join([*self.head, *definitions, "%LPD*%", *self.body, "M02*"]) + "\n").encode()


def drill_file(holes: list[tuple[float, float, float]], plated: bool = True) -> bytes:
    """An Excellon file (metric, decimal points) of x, y, diameter."""
    sizes = sorted({drill for _, _, drill in holes})
    lines = [
        "M48",
        f"; #@! TF.FileFunction,{'Plated,1,2,PTH' if plated else 'NonPlated,1,2,NPTH'}",
        "METRIC,TZ",
    ]
    lines += [f"T{index}C{drill:.3f}" for index, drill in enumerate(sizes, 1)]
    lines += ["%", "G05"]
    for index, size in enumerate(sizes, 1):
        lines.append(f"T{index}")
        lines += [f"X{x:.3f}Y{y:.3f}" for x, y, drill in holes if drill == size]
    return ("\n".join([*lines, "M30"]) + "\n").encode()
