import { useLocalStorage } from '@vueuse/core';
import { watchEffect } from 'vue';

/** Light paper, or dark for dim rooms; remembered in this browser. */
export function useTheme() {
    const theme = useLocalStorage<'light' | 'dark'>('theme', 'light');
    watchEffect(() => {
        document.documentElement.dataset.theme = theme.value;
    });
    return { theme, toggle: () => (theme.value = theme.value === 'light' ? 'dark' : 'light') };
}
