import { defineConfig } from 'vitest/config';

export default defineConfig({ test: { include: ['tests/Front/**/*.test.ts'], environment: 'node' } });
