/** Whether a key belongs to what is being typed into. */
export function isTyping(event: KeyboardEvent): boolean {
    const at = event.target as HTMLElement | null;
    return Boolean(
        at &&
        (at.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)) &&
        !/^(radio|checkbox|range|color)$/.test((at as HTMLInputElement).type ?? ''),
    );
}

/** The sheet under “?”: our own keys; those of the platform keep their meaning. */
export const keySheet: [string, [string, string][]][] = [
    [
        'Views',
        [
            ['P', 'drop pegs; again or Esc to end'],
            ['M', 'ruler: a line; Shift+M a ring'],
            ['hold F', 'flip: B in the place of A'],
            ['C', 'curtain: B behind A, with an edge to drag'],
            ['V', 'one view or two'],
            ['W', 'the whole image'],
            ['D', 'where the class maps of A and B differ'],
            ['R', 'readings drawer'],
            ['< >', 'view B: the same at the date before, after'],
            ['arrows, + −', 'move and zoom, with a view in focus; with Shift a little'],
        ],
    ],
    [
        'Segments',
        [
            ['click, Enter', 'choose the segment pointed at, or in the middle of the view in focus; with Shift, add it'],
            ['Esc', 'clear the choice'],
            ['arrows, Page', 'move a limit, with its line in focus'],
        ],
    ],
    [
        'Classification key',
        [
            ['hold 1, 2', 'sweep over segments: examples for yes, for no; tapped, answers the uncertain one shown'],
            ['Enter', 'on a question: open it on the desk; on an answer: choose all its segments'],
        ],
    ],
    [
        'Training areas',
        [
            ['1 … 9', 'choose the class to draw'],
            ['arrows, Enter', 'while growing from a seed: change the similarity, keep the area'],
        ],
    ],
    [
        'Drawing',
        [
            ['A', "draw the study's area"],
            ['hold Space', 'with a drawing tool: move the image, draw nothing'],
            ['Enter', 'with a view in focus: set a peg or a corner in the middle; Shift+Enter ends a line or closes an area'],
            ['Backspace', 'remove the last corner, as Ctrl+Z while drawing'],
            ['Enter, Delete', 'while moving corners: pick up and drop the one in the middle; remove it'],
        ],
    ],
    [
        'Steps',
        [
            ['[ ]', 'previous and next step of the trail'],
            ['T', 'try on the visible window'],
            ['Ctrl+Enter', 'run'],
            ['/', 'find a kind of step, an item or a command'],
        ],
    ],
    [
        'Check points',
        [
            ['1 … 9', 'label with the class of that number'],
            ['Shift+1 … 9', 'alternative class'],
            ['U', 'confidence: sure, fairly sure, unsure'],
            ['Z', 'zoom in or out'],
            ['B', 'another image in view B'],
            ['N', 'write a note'],
            ['0', 'clear the label'],
            ['X', 'skip'],
            [', .', 'back and on'],
        ],
    ],
    [
        'Always',
        [
            ['Ctrl+Z', 'undo what was drawn or labelled'],
            ['Ctrl+Shift+Z', 'redo'],
            ['J', 'go to the control that an exercise marks'],
            ['?', 'this list'],
            ['Esc', 'close, disarm'],
        ],
    ],
];
