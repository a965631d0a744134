/** A number with the decimals that fit its size; a true minus sign. */
export function number(value: number | null | undefined, digits = 4): string {
    if (value === null || value === undefined || Number.isNaN(value)) return '–';
    const size = Math.abs(value);
    const decimals = Number.isInteger(value) ? 0 : size >= 1000 ? 0 : Math.max(0, Math.min(6, digits - 1 - Math.floor(Math.log10(Math.max(size, 1e-3)))));
    const text = value.toFixed(decimals);
    // what rounds to nothing has no sign
    return Number(text) === 0 ? '0' : thousands(text).replace('-', '−');
}

/** As fine as a range can be told in some hundred steps. */
export function roundTo(value: number, [low, high]: [number, number]): number {
    return Number(value.toFixed(Math.min(8, Math.max(0, 3 - Math.floor(Math.log10(high - low || 1))))));
}

/** A value of a band: reflectance in per cent, all else in its own unit. */
export function reading(value: number | null | undefined, unit: string | null | undefined): string {
    return unit === 'reflectance' && typeof value === 'number' ? `${number(100 * value)} %` : number(value);
}

/** As short as it can be told, for labels on plots. */
export function short(value: number): string {
    return number(value)
        .replace(/(\.\d*?)0+$/, '$1')
        .replace(/\.$/, '');
}

export function percent(share: number | null | undefined, decimals = 1): string {
    return share === null || share === undefined ? '–' : `${(share * 100).toFixed(decimals)} %`;
}

export function thousands(text: string): string {
    const [whole, part] = text.split('.');
    const spaced = whole!.length > 4 ? whole!.replace(/\B(?=(\d{3})+$)/g, ' ') : whole!;
    return part ? `${spaced}.${part}` : spaced;
}

/** In the unit that suits the greatest value of a column. */
export function hectares(value: number, greatest = value): string {
    return greatest >= 10000 ? `${number(value / 100)} km²` : `${number(value)} ha`;
}

/** Okabe & Ito's palette, in order. */
export const pegColours = ['#e69f00', '#56b4e9', '#009e73', '#f0e442', '#0072b2', '#d55e00', '#cc79a7', '#bbbbbb'];

export function pegColour(letter: string): string {
    return pegColours[(letter.charCodeAt(0) - 65) % pegColours.length]!;
}

export function longDate(date: string | null | undefined): string {
    return date ? new Date(`${date}T00:00:00Z`).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' }) : '';
}

/** A number as a person types it: 5% is 5 where per cent are asked for, and 0.05 everywhere else. NaN for what is no number. */
export function typedNumber(text: string, unit?: string): number {
    const given = text.trim().replace('−', '-');
    if (given === '') return NaN;
    if (!given.endsWith('%')) return Number(given);
    const percent = Number(given.slice(0, -1).trim() || NaN);
    return unit === '%' ? percent : percent / 100;
}

/** Metres in the unit that suits them. */
export function length(metres: number): string {
    return metres >= 1000 ? `${number(metres / 1000, 5)} km` : `${number(metres, 5)} m`;
}

/** How large a pixel is, as it is told: “20 m”, “20 × 30 m”, of degrees with metres. */
export function pixelSize(pixel: { width: number; height: number; unit: string | null; metres: number[] | null }): string {
    if (pixel.unit === null) return '';
    const [wide, high] = [pixel.width, pixel.height].map((side) => String(Number(side.toPrecision(6))));
    const sides = wide === high ? wide : `${wide} × ${high}`;
    const ground = pixel.metres ? ` (${pixel.metres.map((side) => number(side, 3)).join(' × ')} m)` : '';
    return `${sides}${pixel.unit === '°' ? '' : ' '}${pixel.unit}${ground}`;
}
