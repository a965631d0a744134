import type { Component } from 'vue';
import type { Inputs, Kind, Matrix, RasterItem, Step } from '../api/client';
import type { Bench } from '../bench/useBench';
import CheckPoints from '../check/CheckPoints.vue';
import MatrixTable from '../check/MatrixTable.vue';
import FlowsPlot from '../change/FlowsPlot.vue';
import type { FlowFigures } from '../change/flows';
import ReadinessEvidence from '../change/ReadinessEvidence.vue';
import RosePlot from '../change/RosePlot.vue';
import TailsEvidence from '../change/TailsEvidence.vue';
import ClusterDesk from '../clusters/ClusterDesk.vue';
import KeyDesk from '../key/KeyDesk.vue';
import AssignBands from './AssignBands.vue';
import ComponentsEvidence from './ComponentsEvidence.vue';
import DarkEvidence from './DarkEvidence.vue';
import FormulaField from './FormulaField.vue';
import LimitEvidence from './LimitEvidence.vue';
import LightScatter from './LightScatter.vue';
import NamedBands from './NamedBands.vue';
import ReachEvidence from './ReachEvidence.vue';
import ShadeEvidence from './ShadeEvidence.vue';
import SliceEvidence from './SliceEvidence.vue';
import StartByHand from './StartByHand.vue';
import SurfaceEvidence from './SurfaceEvidence.vue';
import TiePoints from './TiePoints.vue';
import TrainingDesk from '../training/TrainingDesk.vue';
import type { Form } from './useForm';

/** What the desk of a step knows. */
export interface Given {
    bench: Bench;
    form: Form;
    kind: Kind;
    step: Step | null;
    /** What it works on. */
    item: RasterItem | null;
    /** Made and looked at, not tried or running. */
    isShown: boolean;
    /** What a correction worked on and what it made of it. */
    pair: { before: RasterItem; after: RasterItem } | null;
    /** What is wrong with a setting or an input. */
    about: (name: string) => string | null;
}

interface Entry {
    component: Component;
    /** Before the form, in it, below the files that were made, or instead of the figures. */
    where: 'first' | 'form' | 'made' | 'figures';
    /** What the component gets; null where there is nothing to show. */
    props: (given: Given, makes: string | null) => Record<string, unknown> | null;
}

/** What kinds ask for by name in their declaration: one entry for each. */
const registry: Record<string, Entry> = {
    'check-points': {
        component: CheckPoints,
        where: 'first',
        props: ({ step, isShown }) => (isShown ? { key: step!.id, step } : null),
    },
    'band-files': {
        component: AssignBands,
        where: 'form',
        props: ({ bench, form, about }) => {
            const told = bench.desk.uploads[form.draft.value.inputs.image?.upload ?? ''];
            const facts = (told?.facts ?? {}) as { files?: string[]; missing?: string };
            const isWanted = told && (told.lacks.includes('assign') || facts.missing || about('assign')) && facts.files?.length;
            if (!isWanted) return null;
            return {
                files: facts.files,
                value: form.valueOf('assign') ?? [],
                problem: about('assign'),
                onSet: (value: string[]) => form.set('assign', value),
            };
        },
    },
    formula: { component: FormulaField, where: 'form', props: ({ form, about }) => ({ form, about }) },
    slices: {
        component: SliceEvidence,
        where: 'form',
        props: ({ form, item, about }) => ({ form, item, problem: about('limits') ?? about('names') ?? about('colours') }),
    },
    'dark-object': { component: DarkEvidence, where: 'form', props: ({ form, item }) => ({ form, item }) },
    air: { component: SurfaceEvidence, where: 'form', props: ({ form, item, about }) => ({ form, item, about }) },
    start: { component: StartByHand, where: 'form', props: ({ form }) => ({ form }) },
    light: {
        component: LightScatter,
        where: 'made',
        props: ({ step, pair }) => (pair && step?.figures?.sun ? { step: step.id, after: pair.after } : null),
    },
    components: {
        component: ComponentsEvidence,
        where: 'made',
        props: ({ step }) => (step?.figures?.loadings ? { scree: step.figures.scree ?? [], loadings: step.figures.loadings } : null),
    },
    reach: {
        component: ReachEvidence,
        where: 'made',
        props: ({ step }) => {
            const item = step?.items.find((one) => one.output === 'reach');
            return item && step?.figures?.reach ? { step: step.id, item: item.id, reach: step.figures.reach } : null;
        },
    },
    'named-bands': { component: NamedBands, where: 'form', props: ({ form, about }) => ({ form, about }) },
    key: { component: KeyDesk, where: 'first', props: ({ form, about }) => ({ form, about }) },
    training: { component: TrainingDesk, where: 'form', props: ({ form, about }) => ({ form, about }) },
    clusters: {
        component: ClusterDesk,
        where: 'made',
        props: ({ step, isShown }, makes) => {
            const item = step?.items.find((one) => one.output === 'classes');
            return isShown && item?.raster ? { key: item.id, step, item: item as RasterItem, makes } : null;
        },
    },
    readiness: { component: ReadinessEvidence, where: 'form', props: ({ form }) => ({ form }) },
    tails: { component: TailsEvidence, where: 'form', props: ({ form, about }) => ({ form, about }) },
    flows: {
        component: FlowsPlot,
        where: 'made',
        props: ({ step, isShown }) => (isShown && step?.figures?.flows ? { key: step.id, step, flows: step.figures.flows as FlowFigures } : null),
    },
    rose: {
        component: RosePlot,
        where: 'made',
        props: ({ step, isShown }) => {
            const item = step?.items.find((one) => one.output === 'vector');
            return isShown && item?.raster && step?.figures?.rose ? { key: item.id, rose: step.figures.rose, item } : null;
        },
    },
    limit: { component: LimitEvidence, where: 'first', props: ({ form, about }) => ({ form, about }) },
    shading: {
        component: ShadeEvidence,
        where: 'first',
        props: ({ step, isShown }) => {
            if (!isShown) return null;
            // the segments that it made, or those that it measured
            const made = step?.items.find((one) => one.raster?.content === 'segments');
            const used = Object.values((step?.inputs ?? {}) as Inputs).find((input) => input.output === 'segments');
            const segments = made ? { step: step!.id, output: made.output } : used?.step ? { step: used.step, output: 'segments' } : null;
            return segments && { key: `${segments.step}`, segments };
        },
    },
    'tie-points': {
        component: TiePoints,
        where: 'made',
        props: ({ step, form }) => (step?.figures?.['tie-points'] ? { key: step.id, step, form } : null),
    },
    matrix: {
        component: MatrixTable,
        where: 'figures',
        props: ({ step, item }) => (step?.figures && 'counted' in step.figures ? { matrix: step.figures as unknown as Matrix, map: item } : null),
    },
};

export interface Shown {
    name: string;
    where: Entry['where'];
    beside: string | null;
    own: string[];
    component: Component;
    props: Record<string, unknown>;
}

/** The evidence that a kind asks for, as far as there is something to show. */
export function shownEvidence(given: Given): Shown[] {
    return given.kind.desk.evidence.flatMap(({ name, own, beside, makes }) => {
        const entry = registry[name];
        const props = entry?.props(given, makes);
        return entry && props ? [{ name, where: entry.where, beside, own, component: entry.component, props }] : [];
    });
}
