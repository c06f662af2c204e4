const HEIGHT = 14;

/** Labels beside their points, moved up or down until none covers another. Sizes in pixels; `y` is the middle. */
export function laidOut<T extends { x: number; y: number; width: number }>(labels: readonly T[], area: { width: number; height: number }): T[] {
  const placed: T[] = [];
  const found = new Map<T, T>();
  for (const label of [...labels].sort((a, b) => a.y - b.y)) {
    // Left of its point where it would run out on the right.
    const x = label.x + label.width > area.width ? label.x - label.width - 32 : label.x;
    let best = { ...label, x };
    for (let step = 0; step < 30; step++) {
      const y = label.y + (step % 2 ? 1 : -1) * Math.ceil(step / 2) * (HEIGHT / 2);
      if (y < HEIGHT / 2 || y > area.height - HEIGHT / 2) continue;
      best = { ...label, x, y };
      if (!placed.some((other) => Math.abs(other.y - y) < HEIGHT && x < other.x + other.width && other.x < x + label.width)) break;
    }
    placed.push(best);
    found.set(label, best);
  }
  return labels.map((label) => found.get(label) ?? label);
}
