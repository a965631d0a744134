import { QueryClient } from '@tanstack/vue-query';
import { Problem } from './client';

/** What was asked once stays; what does not come is asked for again, but not what was refused. */
export const queries = new QueryClient({
    defaultOptions: {
        queries: {
            staleTime: Infinity,
            networkMode: 'always',
            refetchOnWindowFocus: false,
            retry: (count, error) => count < 2 && !(error instanceof Problem && error.isFinal),
            retryDelay: (count) => 500 * 2 ** count,
        },
    },
});
