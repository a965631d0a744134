/** What can be drawn. */
export const shapes = ['point', 'line', 'polygon', 'box', 'free'] as const;
export type Shape = (typeof shapes)[number];

export const shapeNames: Record<Shape, string> = { point: 'point', line: 'line', polygon: 'area', box: 'box', free: 'free hand' };

/** What a click or a key in a view does, beside moving it. What is drawn goes into a drawing by number, the study's area, or is measured only. */
export type Tool =
    | { does: 'peg' }
    | { does: 'draw'; into: number | 'area' | 'ruler'; shape: Shape; class?: string }
    | { does: 'grow' | 'take'; into: number; class: string }
    | { does: 'change'; of: number }
    | { does: 'name' }
    | { does: 'example'; answer: 'yes' | 'no' };

export const ruler = (shape: 'line' | 'polygon'): Tool => ({ does: 'draw', into: 'ruler', shape });

export function isRuler(tool: Tool | null): boolean {
    return tool?.does === 'draw' && tool.into === 'ruler';
}

/** The drawing that a tool works in. */
export function drawingOf(tool: Tool | null): number | null {
    return tool?.does === 'change' ? tool.of : tool && 'into' in tool && typeof tool.into === 'number' ? tool.into : null;
}

export function sameTool(a: Tool | null, b: Tool | null): boolean {
    return JSON.stringify(a) === JSON.stringify(b);
}
