/** What can be drawn. */
export const shapes = ['point', 'line', 'polygon', 'box'] as const;
export type Shape = (typeof shapes)[number];

export const shapeNames: Record<Shape, string> = { point: 'point', line: 'line', polygon: 'area', box: 'box' };

/** What a click or a key in a view does, beside moving it. */
export type Tool = { does: 'peg' } | { does: 'draw'; into: number | 'area'; shape: Shape } | { does: 'change'; of: number };

export function sameTool(a: Tool | null, b: Tool | null): boolean {
    return JSON.stringify(a) === JSON.stringify(b);
}
