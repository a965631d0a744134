/** Labels one below the other, kept apart so that each can be read, and none below the lowest place. */
export function keptApart<T extends { y: number }>(labels: T[], step: number, lowest: number): T[] {
    let last = -Infinity;
    const placed = [...labels].sort((a, b) => a.y - b.y).map((one) => ({ ...one, y: (last = Math.max(one.y, last + step)) }));
    const below = Math.max(0, last - lowest);
    return placed.map((one) => ({ ...one, y: one.y - below }));
}
