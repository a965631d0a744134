import type { FeatureLike } from 'ol/Feature';
import Circle from 'ol/style/Circle';
import Fill from 'ol/style/Fill';
import Stroke from 'ol/style/Stroke';
import Style, { type StyleFunction } from 'ol/style/Style';

/** Points, lines and areas over a picture, and how they are drawn. */
export interface LineLook {
    source: { step: number; output: string } | null;
    drawing: number | null;
    /** A colour, or “class”: that of what each is said to be. */
    colour: string;
    width: number;
    /** How much of the picture areas cover. */
    fill: number;
}

export const lineColours = ['#ffffff', '#111111', '#e69f00', '#56b4e9', '#009e73', '#f0e442', '#d55e00', '#cc79a7'];

export function newLine(of: Pick<LineLook, 'source' | 'drawing'>): LineLook {
    return { ...of, colour: 'class', width: 1.5, fill: 0 };
}

const rgba = (hex: string, alpha: number) => `rgba(${[1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16)).join(',')},${alpha})`;
const isLight = (hex: string) => [1, 3, 5].reduce((sum, i, k) => sum + parseInt(hex.slice(i, i + 2), 16) * [0.3, 0.59, 0.11][k]!, 0) > 90;

/** A line of a colour inside one that sets it off from any image; a point likewise. */
function outlined(colour: string, width: number, fill: number, dash?: number[]): Style[] {
    const edge = isLight(colour) ? 'rgba(0,0,0,0.6)' : 'rgba(255,255,255,0.75)';
    return [
        new Style({ stroke: new Stroke({ color: edge, width: width + 2 }), image: new Circle({ radius: 3 + width, fill: new Fill({ color: edge }) }) }),
        new Style({
            stroke: new Stroke({ color: colour, width, lineDash: dash }),
            fill: fill > 0 ? new Fill({ color: rgba(colour, fill) }) : undefined,
            image: new Circle({ radius: 2 + width, fill: new Fill({ color: colour }) }),
        }),
    ];
}

/** What a feature is said to be. */
export function saidOf(feature: FeatureLike): string | null {
    const said = feature.get('class') ?? feature.get('label');
    return said === null || said === undefined || said === '' ? null : String(said);
}

/** The style of a look; `colourOf` knows the colours of classes. */
export function lineStyle(look: LineLook, colourOf: (name: string) => string): StyleFunction {
    const made = new Map<string, Style[]>();
    return (feature) => {
        const said = saidOf(feature);
        const colour = look.colour !== 'class' ? look.colour : said === null ? '#ffffff' : colourOf(said);
        let style = made.get(colour);
        if (!style) made.set(colour, (style = outlined(colour, look.width, look.fill)));
        return style;
    };
}

export const areaStyle = outlined('#ffffff', 1.4, 0, [7, 4]);
export const sketchStyle = [
    ...outlined('#ffffff', 1.6, 0.08),
    new Style({ image: new Circle({ radius: 4, fill: new Fill({ color: '#ffffff' }), stroke: new Stroke({ color: '#000000', width: 1.5 }) }) }),
];
export const cornerStyle = new Style({
    image: new Circle({ radius: 6, fill: new Fill({ color: 'rgba(255,255,255,0.9)' }), stroke: new Stroke({ color: '#000000', width: 2 }) }),
});

/** What is pointed at: a double outline, dark inside light. */
export const pointedStyle = [
    new Style({ stroke: new Stroke({ color: '#ffffff', width: 6 }), image: new Circle({ radius: 9, stroke: new Stroke({ color: '#ffffff', width: 3 }) }) }),
    new Style({ stroke: new Stroke({ color: '#000000', width: 2.5 }), image: new Circle({ radius: 7, stroke: new Stroke({ color: '#000000', width: 2 }) }) }),
];

/** A residual as a line with a head; one that was not used is dashed. */
export const arrowStyle: StyleFunction = (feature) => (feature.get('used') ? used : unused);
const used = outlined('#ffffff', 1.3, 0);
const unused = outlined('#ffffff', 1.3, 0, [2, 3]);
