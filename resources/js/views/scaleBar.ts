/** A round length that fits a scale bar: metres and how many screen pixels they take. */
export function scaleBar(resolution: number, most = 90): { label: string; pixels: number } {
    const longest = resolution * most;
    const power = 10 ** Math.floor(Math.log10(longest));
    const length = [5, 2, 1].map((n) => n * power).find((n) => n <= longest) ?? power;
    return { label: length >= 1000 ? `${length / 1000} km` : `${Number(length.toPrecision(3))} m`, pixels: length / resolution };
}
