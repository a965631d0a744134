import type { Matrix } from '../api/client';

export interface Change {
    what: string;
    from: number | null;
    to: number | null;
    kind: 'share' | 'hectares' | 'points';
}

/** What a label that was given anew changes in the figures: overall, and the classes whose area moved. */
export function changesBetween(was: Matrix, now: Matrix): Change[] {
    const rows: Change[] = [
        { what: 'points', from: was.points, to: now.points, kind: 'points' },
        { what: 'overall', from: was.overall, to: now.overall, kind: 'share' },
    ];
    for (const entry of now.classes) {
        const old = was.classes.find((one) => one.class === entry.class);
        const isGround = entry.hectares !== undefined;
        rows.push({
            what: `area of ${entry.class}`,
            from: (isGround ? old?.hectares : old?.share) ?? null,
            to: (isGround ? entry.hectares : entry.share) ?? null,
            kind: isGround ? 'hectares' : 'share',
        });
    }
    const moved = (one: Change) => Math.abs((one.to ?? NaN) - (one.from ?? NaN)) > 1e-9 || (one.from === null) !== (one.to === null);
    return rows.filter(moved);
}
