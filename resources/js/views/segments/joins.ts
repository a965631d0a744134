/** How pieces join: the k-th join makes the node leaves + k + 1 of two that were there before. */
export interface Joins {
    leaves: number;
    first: Float64Array;
    second: Float64Array;
    /** Limit from which the two are one; rises along each branch. */
    height: Float64Array;
}

/** The segment of each piece at a limit: the number of its first piece, at the piece's own number; 0 for none. */
export function cut({ leaves, first, second, height }: Joins, limit: number): Uint32Array {
    const nodes = leaves + first.length + 1;
    const above = new Uint32Array(nodes);
    for (let k = 0; k < first.length; k++) if (height[k]! <= limit) above[first[k]!] = above[second[k]!] = leaves + k + 1;
    // a node is made after those it joins: from the last to the first each finds its top at once
    const top = above;
    for (let node = nodes - 1; node > 0; node--) top[node] = top[node] ? top[top[node]!]! : node;
    const names = new Uint32Array(nodes);
    const joined = new Uint32Array(leaves + 1);
    for (let piece = 1; piece <= leaves; piece++) joined[piece] = names[top[piece]!] ||= piece;
    return joined;
}

/** How many segments are left at a limit. */
export function segmentsAt({ leaves, height }: Joins, limit: number): number {
    let joins = 0;
    for (let k = 0; k < height.length; k++) if (height[k]! <= limit) joins++;
    return leaves - joins;
}
