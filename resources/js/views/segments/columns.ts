import { api, must } from '../../api/client';
import { queries } from '../../api/queries';

/** A number for each row of measures, or for each join of a tree: a measure by name, a formula over measures. Asked for once. */
export function column(item: number, name: string): Promise<Float64Array> {
    return queries.fetchQuery({
        queryKey: ['column', item, name],
        gcTime: 120_000,
        queryFn: async () => {
            const params = { path: { item }, query: { name } };
            return new Float64Array(await must(api.GET('/items/{item}/column', { params, parseAs: 'arrayBuffer' })));
        },
    });
}
