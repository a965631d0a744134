import type { News, Step, Study } from '../api/client';

/** A study with its news. Steps that did not change stay the same objects; an answer that comes late changes nothing. */
export function withNews(study: Study | null, news: News): Study {
    if (study && news.version < study.version) return study;
    const { order, stale, busy, steps, look, ...head } = news;
    const known = new Map(study?.steps.map((step) => [step.id, step]));
    for (const step of steps) known.set(step.id, step);
    const progress = new Map(busy.map((one) => [one.id, one]));
    return {
        ...head,
        look: look ?? study?.look ?? null,
        steps: order.flatMap((id) => known.get(id) ?? []).map((step) => current({ ...progress.get(step.id) }, stale[step.id] ?? null, step)),
    };
}

/** A step as it is now: the same object when nothing of it moved. */
function current(progress: Partial<Step>, staleBy: number | null, step: Step): Step {
    const isOver = step.state === 'done' || step.state === 'stale';
    const fresh: Partial<Step> = { ...(isOver ? { state: staleBy === null ? 'done' : 'stale' } : {}), staleBy, ...progress };
    return (Object.keys(fresh) as (keyof Step)[]).every(
        (key) => fresh[key] === step[key] || (key === 'growing' && JSON.stringify(fresh[key]) === JSON.stringify(step[key])),
    )
        ? step
        : { ...step, ...fresh };
}
