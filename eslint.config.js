import js from '@eslint/js';
import vue from 'eslint-plugin-vue';
import ts from 'typescript-eslint';

export default ts.config(
    { ignores: ['public/build/**', 'vendor/**', 'node_modules/**', 'resources/js/api/schema.d.ts'] },
    js.configs.recommended,
    ...ts.configs.recommended,
    ...vue.configs['flat/recommended'],
    {
        files: ['**/*.vue'],
        languageOptions: { parserOptions: { parser: ts.parser } },
        rules: {
            'no-undef': 'off',
            'vue/html-indent': 'off',
            'vue/max-attributes-per-line': 'off',
            'vue/singleline-html-element-content-newline': 'off',
            'vue/html-self-closing': 'off',
            'vue/multiline-html-element-content-newline': 'off',
            'vue/html-closing-bracket-newline': 'off',
            'vue/first-attribute-linebreak': 'off',
        },
    },
    {
        files: ['**/*.{ts,vue}'],
        // the classes of an element are one text
        rules: { 'vue/max-len': ['error', { code: 160, template: 160, ignoreHTMLAttributeValues: true }] },
    },
);
