/** The route: the stages of the work in the order in which analysts go. */
/** Kinds in the order in which they are wanted; others follow. */
export const kindOrder = [
    'gather.order', 'gather.bundle', 'gather.image', 'gather.features', 'gather.subset', 'gather.reproject', 'gather.stack', 'gather.mosaic',
    'correct.lines', 'correct.gaps', 'correct.calibrate', 'correct.mask', 'correct.haze', 'correct.dark-object', 'correct.terrain', 'correct.coregister', 'correct.backscatter', 'correct.speckle',
];

export const stageNames: Record<string, string> = {
    gather: 'Gather', correct: 'Correct', derive: 'Derive', segment: 'Segment', classify: 'Classify', compare: 'Compare', assess: 'Assess', deliver: 'Deliver',
};
