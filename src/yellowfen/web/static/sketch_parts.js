// Geometry of a sketched patch: boxes of parts, clear distances, a free place for the next one. No drawing here.

export class SketchParts {
  constructor(packages) { this.packages = packages; }

  // Half width and half height of a part with its lands on the board, mm.
  half(part) {
    const shape = this.packages[part.package];
    const reach = (axis, at, size) => Math.max(shape[axis] / 2, ...shape.lands.map((land) => Math.abs(land[at]) + land[size] / 2));
    const [x, y] = [reach("x", 1, 3), reach("y", 2, 4)];
    const turn = (part.rotation_deg * Math.PI) / 180;
    const [cos, sin] = [Math.abs(Math.cos(turn)), Math.abs(Math.sin(turn))];
    return [x * cos + y * sin, x * sin + y * cos];
  }

  box(part) {
    const [x, y] = this.half(part);
    return { left: part.x_mm - x, right: part.x_mm + x, below: part.y_mm - y, above: part.y_mm + y };
  }

  overlaps(a, b, gap = 0) { return a.left < b.right + gap && b.left < a.right + gap && a.below < b.above + gap && b.below < a.above + gap; }

  // What a part meets first in a direction, and the clear distance to it: a neighbour, or the patch's edge.
  clear(part, direction, parts, size) {
    const own = this.box(part);
    const across = direction === "left" || direction === "right";
    const edge = { left: own.left, right: size.width_mm - own.right, below: own.below, above: size.height_mm - own.above }[direction];
    let best = { to: "the edge", gap: edge };
    for (const other of parts) {
      if (other === part || other.side !== part.side) continue;
      const box = this.box(other);
      const beside = across ? own.below < box.above && box.below < own.above : own.left < box.right && box.left < own.right;
      const gap = { left: own.left - box.right, right: box.left - own.right, below: own.below - box.above, above: box.below - own.above }[direction];
      const ahead = { left: other.x_mm < part.x_mm, right: other.x_mm > part.x_mm, below: other.y_mm < part.y_mm, above: other.y_mm > part.y_mm }[direction];
      if (beside && ahead && gap < best.gap) best = { to: other.ref, gap };
    }
    return best;
  }

  // Moves a part so that it is that far clear in a direction.
  setClear(part, direction, gap, parts, size) {
    const change = this.clear(part, direction, parts, size).gap - gap;
    if (direction === "left") part.x_mm -= change;
    if (direction === "right") part.x_mm += change;
    if (direction === "below") part.y_mm -= change;
    if (direction === "above") part.y_mm += change;
  }

  // The middle for the first part; round about it, a millimetre and a half off, for the others.
  freePlace(part, parts, size) {
    if (!parts.length) return [size.width_mm / 2, size.height_mm / 2];
    const about = parts[0];
    const [x, y] = this.half(about);
    const [w, h] = this.half(part);
    for (let ring = 0; ring < 8; ring += 1) {
      const out = 1.5 + ring * 2.5;
      for (const slide of [0, 0.5, -0.5, 1, -1]) {
        const spots = [[x + w + out, slide * (y + h)], [-x - w - out, slide * (y + h)], [slide * (x + w), y + h + out], [slide * (x + w), -y - h - out]];
        for (const [dx, dy] of spots) {
          const tried = { ...part, x_mm: about.x_mm + dx, y_mm: about.y_mm + dy };
          const box = this.box(tried);
          const inside = box.left >= 0 && box.below >= 0 && box.right <= size.width_mm && box.above <= size.height_mm;
          if (inside && parts.every((other) => !this.overlaps(box, this.box(other), 0.4))) return [tried.x_mm, tried.y_mm];
        }
      }
    }
    return [size.width_mm / 2, size.height_mm / 2];
  }

  freeName(shape, parts) {
    const first = { chip: "R", "chip LED": "D", "plastic LED": "D", diode: "D", can: "C", tantalum: "C", connector: "J", "USB socket": "J", "flat-cable connector": "J", inductor: "L", crystal: "Y", switch: "S" }[shape.family] ?? "U";
    let number = 1;
    while (parts.some((part) => part.ref === `${first}${number}`)) number += 1;
    return `${first}${number}`;
  }
};
