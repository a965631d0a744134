/** A list as a setting has it: programs may have told it as a text with commas. */
export function listOf(value: unknown): string[] {
    const parts = Array.isArray(value) ? value.map(String) : typeof value === 'string' ? value.split(',') : [];
    return parts.map((part) => part.trim()).filter(Boolean);
}
