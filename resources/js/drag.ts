/** Follows the pointer from where it went down until it is let go, wherever it moves meanwhile. */
export function drag(move: (event: PointerEvent) => void, end: () => void = () => {}): void {
    const stop = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', stop);
        window.removeEventListener('pointercancel', stop);
        end();
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', stop);
    window.addEventListener('pointercancel', stop);
}
