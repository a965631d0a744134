/** The route: the stages of the work in the order in which analysts go. */
export const stageNames: Record<string, string> = {
    gather: 'Gather',
    correct: 'Correct',
    derive: 'Derive',
    segment: 'Segment',
    classify: 'Classify',
    compare: 'Compare',
    assess: 'Assess',
    deliver: 'Deliver',
};
