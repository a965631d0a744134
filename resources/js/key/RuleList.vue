<script setup lang="ts">
import { computed, ref } from 'vue';
import { useBench } from '../bench/useBench';
import { hectares, number, typedNumber } from '../plots/format';
import { setRules } from './edit';
import type { Rule } from './sort';

/** What is tidied after the questions: in order, each with what it would change, on or off. */
const { key } = useBench();
const rules = computed(() => key.document.value?.rules ?? []);
const open = ref<number | null>(null);
const told = (at: number) => key.fresh.value?.rules.find((one) => one.at === at) ?? null;
const names: Record<Rule['rule'], string> = { dissolve: 'dissolve', absorb: 'absorb', fill: 'fill', 'give-back': 'unlabel' };
const words = (rule: Rule) => {
    const of = rule.of?.join(', ') ?? '';
    const size = rule.below === undefined ? '' : `below ${number(rule.below)} ${rule.unit === 'ha' ? 'ha' : 'px'}`;
    switch (rule.rule) {
        case 'absorb':
            return [of || 'patches', size, rule.into === 'unlabelled' ? 'to unlabelled' : ''].filter(Boolean).join(' ');
        case 'fill':
            return `${of} ${size} ${(rule.share ?? 1) < 1 ? `${Math.round(100 * rule.share!)} % against` : 'inside'} ${rule.with ?? ''}`.trim();
        case 'give-back':
            return of;
        default:
            return of || 'all classes';
    }
};
const effect = (at: number) => {
    const one = told(at);
    if (!one) return '';
    if (rules.value[at]?.rule === 'dissolve') return `${number(one.pieces)} left`;
    return one.changed ? `${number(one.changed)} · ${one.area === null ? `${number(one.pixels)} px` : hectares(one.area)}` : 'nothing';
};
const save = (what: string, change: (all: Rule[]) => Rule[]) => key.document.value && void key.change(what, setRules(key.document.value, change));
const set = (at: number, part: Partial<Rule>) =>
    save(`the rule “${names[rules.value[at]!.rule]}”`, (all) =>
        all.map((one, i) => (i === at ? (JSON.parse(JSON.stringify({ ...one, ...part })) as Rule) : one)),
    );
const classes = computed(() => key.document.value?.classes.map((one) => one.name) ?? []);
function add(rule: string): void {
    if (!rule) return;
    const first = classes.value[0] ?? '';
    const made: Rule =
        rule === 'absorb'
            ? { rule: 'absorb', below: 10, unit: 'pixels', into: 'neighbour' }
            : rule === 'fill'
              ? { rule: 'fill', with: first }
              : rule === 'give-back'
                ? { rule: 'give-back', of: [first] }
                : { rule: 'dissolve' };
    open.value = rules.value.length;
    void save(`adding “${names[made.rule]}”`, (all) => [...all, made]);
}
const shift = (at: number, by: number) =>
    save('the order of rules', (all) => {
        const [one] = all.splice(at, 1);
        all.splice(at + by, 0, one!);
        return all;
    });
const problem = (at: number) => (key.problem.value?.about === `key/rules/${at}` ? key.problem.value.text : null);
function toggleClass(at: number, name: string): void {
    const of = rules.value[at]!.of ?? [];
    set(at, { of: of.includes(name) ? of.filter((one) => one !== name) : [...of, name] });
}
</script>

<template>
    <div class="flex min-h-0 flex-col overflow-y-auto p-2.5 text-sm" data-rules>
        <p class="flex items-baseline justify-between">
            <b>then tidy</b>
            <label class="flex items-center gap-1 text-xs" title="Whether the views show the classes after tidying"
                ><input v-model="key.isTidied.value" type="checkbox" data-tidied />shown</label
            >
        </p>
        <ol class="mt-1 space-y-1.5">
            <li
                v-for="(rule, at) in rules"
                :key="at"
                class="rounded-sm px-1 py-0.5"
                :class="[key.rule.value === at ? 'bg-paper-2' : '', rule.off ? 'opacity-50' : '']"
                :data-rule="at"
                @pointerenter="key.rule.value = rule.off ? null : at"
                @pointerleave="key.rule.value = null"
                @focusin="key.rule.value = rule.off ? null : at"
                @focusout="key.rule.value = null"
            >
                <p class="flex items-baseline gap-1">
                    <label class="flex w-6 shrink-0 items-center self-center"
                        ><input
                            type="checkbox"
                            :checked="!rule.off"
                            :aria-label="`${names[rule.rule]} on`"
                            @change="set(at, { off: rule.off ? undefined : true })"
                    /></label>
                    <button
                        class="min-h-6 flex-1 text-left hover:text-verdigris"
                        :aria-expanded="open === at"
                        :data-open-rule="at"
                        @click="open = open === at ? null : at"
                    >
                        {{ names[rule.rule] }}
                    </button>
                </p>
                <p class="text-xs text-ink-2">{{ words(rule) }}</p>
                <p v-if="!rule.off" class="figures text-xs" data-effect>{{ effect(at) }}</p>
                <p v-if="problem(at)" role="alert" class="text-xs text-madder">{{ problem(at) }}</p>
                <div v-if="open === at" class="mt-1 space-y-1 border-l-2 border-line pl-1.5 text-xs">
                    <p class="flex flex-wrap gap-1" role="group" aria-label="Classes; all if none is chosen">
                        <button
                            v-for="name in classes"
                            :key="name"
                            class="min-h-6 rounded-sm border px-1"
                            :class="rule.of?.includes(name) ? 'border-verdigris text-verdigris' : 'border-line text-ink-2'"
                            :aria-pressed="rule.of?.includes(name) ?? false"
                            @click="toggleClass(at, name)"
                        >
                            {{ name }}
                        </button>
                    </p>
                    <label v-if="rule.rule === 'fill'" class="flex items-center gap-1"
                        >with<select class="field" :value="rule.with" @change="set(at, { with: ($event.target as HTMLSelectElement).value })">
                            <option v-for="name in classes" :key="name">{{ name }}</option>
                        </select></label
                    >
                    <label v-if="rule.rule === 'fill'" class="flex items-center gap-1"
                        >edge, %<input
                            class="field figures"
                            inputmode="decimal"
                            :value="Math.round(1000 * (rule.share ?? 1)) / 10"
                            @change="set(at, { share: Math.min(1, Math.max(0.01, typedNumber(($event.target as HTMLInputElement).value, '%') / 100 || 1)) })"
                    /></label>
                    <p v-if="rule.rule === 'absorb' || rule.rule === 'fill'" class="flex items-center gap-1">
                        below<input
                            class="field figures"
                            inputmode="decimal"
                            aria-label="Size below which a patch is absorbed"
                            :value="rule.below"
                            :data-below="at"
                            @change="set(at, { below: typedNumber(($event.target as HTMLInputElement).value) || undefined })"
                        /><select
                            class="field"
                            aria-label="Unit"
                            :value="rule.unit ?? 'pixels'"
                            @change="set(at, { unit: ($event.target as HTMLSelectElement).value as 'ha' })"
                        >
                            <option>pixels</option>
                            <option>ha</option>
                        </select>
                    </p>
                    <select
                        v-if="rule.rule === 'absorb'"
                        class="field"
                        aria-label="Target"
                        :value="rule.into ?? 'neighbour'"
                        @change="set(at, { into: ($event.target as HTMLSelectElement).value as 'neighbour' })"
                    >
                        <option value="neighbour">to the neighbour with the longest edge</option>
                        <option value="unlabelled">to unlabelled</option>
                    </select>
                    <p class="flex gap-2">
                        <button v-if="at" class="plain" @click="shift(at, -1)">move up</button>
                        <button v-if="at < rules.length - 1" class="plain" @click="shift(at, 1)">move down</button>
                        <button class="plain" @click="((open = null), save(`taking “${names[rule.rule]}” away`, (all) => all.filter((_, i) => i !== at)))">
                            remove
                        </button>
                    </p>
                </div>
            </li>
        </ol>
        <select
            v-if="key.document.value"
            class="field mt-1.5 shrink-0"
            aria-label="Add a rule"
            value=""
            data-add-rule
            @change="(add(($event.target as HTMLSelectElement).value), (($event.target as HTMLSelectElement).value = ''))"
        >
            <option value="">add a rule …</option>
            <option value="absorb">absorb small patches</option>
            <option value="fill">fill enclosed ones</option>
            <option value="give-back">unlabel a class</option>
            <option value="dissolve">dissolve by class</option>
        </select>
    </div>
</template>
