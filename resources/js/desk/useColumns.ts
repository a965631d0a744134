import { shallowRef, watch } from 'vue';
import { api, must } from '../api/client';
import { queries } from '../api/queries';

/** The names of the measures that items hold, without doubles; their rows' numbers are no measure. */
export function useColumns(items: () => number[]) {
    const columns = shallowRef<string[]>([]);
    watch(
        () => items().join(),
        async (wanted) => {
            const found = await Promise.all(
                items().map((item) =>
                    queries
                        .fetchQuery({
                            queryKey: ['columns', item],
                            queryFn: () => must(api.GET('/items/{item}/rows', { params: { path: { item }, query: { count: 0 } } })),
                        })
                        .catch(() => null),
                ),
            );
            if (wanted === items().join()) columns.value = [...new Set(found.flatMap((one) => one?.columns.slice(1).map((column) => column.name) ?? []))];
        },
        { immediate: true },
    );
    return columns;
}
