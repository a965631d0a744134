/** What became of classes from one date to the next. */
export interface Flow {
    from: string;
    to: string;
    pixels: number;
    hectares?: number;
    share: number;
}

export interface FlowFigures {
    dates: string[];
    classes: { name: string; colour: string }[];
    steps: Flow[][];
    whole: Flow[];
}

export interface Block {
    date: number;
    name: string;
    colour: string;
    y: number;
    height: number;
    share: number;
}

export interface Ribbon {
    step: number;
    flow: Flow;
    colour: string;
    path: string;
    /** Thickness, in pixels of the drawing. */
    width: number;
}

/** Pixels between classes of one date, and how thick at least what is there is drawn. */
const GAP = 4;
const THIN = 0.75;

/** Blocks of classes at each date, and ribbons between them, within a drawing of a width and height. */
export function layFlows({ dates, classes, steps }: FlowFigures, width: number, height: number, block = 9): { blocks: Block[]; ribbons: Ribbon[] } {
    const sums = dates.map((_, date) => {
        const flows = steps[Math.min(date, steps.length - 1)] ?? [];
        const side = date < steps.length ? 'from' : 'to';
        return new Map(classes.map(({ name }) => [name, flows.reduce((sum, flow) => sum + (flow[side] === name ? flow.share : 0), 0)]));
    });
    const most = Math.max(...sums.map((one) => [...one.values()].filter((share) => share > 0).length));
    const scale = (height - GAP * (most - 1)) / 1;
    const blocks: Block[] = [];
    const at = sums.map((one, date) => {
        let y = 0;
        const tops = new Map<string, number>();
        for (const { name, colour } of classes) {
            const share = one.get(name) ?? 0;
            if (share <= 0) continue;
            blocks.push({ date, name, colour, y, height: Math.max(THIN, scale * share), share });
            tops.set(name, y);
            y += scale * share + GAP;
        }
        return tops;
    });
    const x = (date: number) => (dates.length === 1 ? 0 : (date * (width - block)) / (dates.length - 1));
    const place = new Map(classes.map(({ name }, i) => [name, i]));
    const ribbons = steps.flatMap((flows, step) => {
        const [left, right] = [new Map(at[step]), new Map(at[step + 1])];
        const order = (a: Flow, b: Flow) => place.get(a.from)! - place.get(b.from)! || place.get(a.to)! - place.get(b.to)!;
        return [...flows].sort(order).map((flow): Ribbon => {
            const thick = scale * flow.share;
            const [y0, y1] = [left.get(flow.from)!, right.get(flow.to)!];
            left.set(flow.from, y0 + thick);
            right.set(flow.to, y1 + thick);
            const [x0, x1] = [x(step) + block, x(step + 1)];
            const middle = (x0 + x1) / 2;
            const drawn = Math.max(THIN, thick);
            const round = (value: number) => Number(value.toFixed(2));
            const curve = (a: number, b: number, from: number, to: number) =>
                `C${round(middle)} ${round(a)} ${round(middle)} ${round(b)} ${round(to)} ${round(b)}`;
            return {
                step,
                flow,
                colour: classes[place.get(flow.from)!]!.colour,
                width: drawn,
                path: `M${round(x0)} ${round(y0)}${curve(y0, y1, x0, x1)}V${round(y1 + drawn)}${curve(y1 + drawn, y0 + drawn, x1, x0)}Z`,
            };
        });
    });
    return { blocks: blocks.map((one) => ({ ...one })), ribbons };
}

/** Changes first and the greatest of them, as they are told in rows. */
export function changesOf(flows: Flow[]): Flow[] {
    return flows.filter((flow) => flow.from !== flow.to).sort((a, b) => b.share - a.share);
}
