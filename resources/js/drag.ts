import { useEventListener } from '@vueuse/core';

/** Follows the pointer from where it went down until it is let go, wherever it moves meanwhile. */
export function drag(move: (event: PointerEvent) => void, end: () => void = () => {}): void {
    const stops = [
        useEventListener(window, 'pointermove', move),
        useEventListener(window, ['pointerup', 'pointercancel'], () => {
            stops.forEach((stop) => stop());
            end();
        }),
    ];
}
