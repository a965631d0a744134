import { Problem, signedOut } from '../../api/client';
import { queries } from '../../api/queries';

/** A number for each row of measures, or for each join of a tree: a measure by name, a formula over measures. Asked for once. */
export function column(item: number, name: string): Promise<Float64Array> {
    return queries.fetchQuery({
        queryKey: ['column', item, name],
        gcTime: 120_000,
        queryFn: async () => {
            const answer = await fetch(`/api/items/${item}/column?name=${encodeURIComponent(name)}`, { headers: { Accept: 'application/json' } });
            if (answer.status === 401) signedOut();
            if (!answer.ok) {
                const told = (await answer.json().catch(() => ({}))) as { title?: string; about?: string };
                throw new Problem(told.title ?? 'The server refused this.', told.about ?? null, answer.status < 500);
            }
            return new Float64Array(await answer.arrayBuffer());
        },
    });
}
