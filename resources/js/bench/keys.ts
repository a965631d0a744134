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
            ['click, Enter', 'choose the one pointed at, or in the middle of the view in focus; with Shift one more'],
            ['Esc', 'none chosen'],
            ['arrows, Page', 'draw a limit along, with its line in focus'],
        ],
    ],
    [
        'Keys that sort',
        [
            ['hold 1, 2', 'sweep over segments: examples for yes, for no; tapped, an answer for the unsure one that is looked at'],
            ['Enter', 'on a question of the river: to the desk; on an arm: choose all that flows there'],
        ],
    ],
    [
        'Training areas',
        [
            ['1 … 9', 'the class that is drawn'],
            ['arrows, Enter', 'on the likeness of what grows from a seed: draw it along, keep the area'],
        ],
    ],
    [
        'Drawing',
        [
            ['A', "draw the study's area"],
            ['hold Space', 'with a tool in hand: the picture moves, nothing is drawn'],
            ['Enter', 'with a view in focus: a peg or a corner in the middle; Shift+Enter ends a line, closes an area'],
            ['Backspace', 'the last corner back, as Ctrl+Z while drawing'],
            ['Enter, Delete', 'while corners are moved: takes the one in the middle up and sets it down; takes it away'],
        ],
    ],
    [
        'Steps',
        [
            ['[ ]', 'back and on along the trail'],
            ['T', 'try on the visible window'],
            ['Ctrl+Enter', 'run'],
            ['/', 'find a kind of step, an item or a command'],
        ],
    ],
    [
        'Check points',
        [
            ['1 … 9', 'label with the class of that number'],
            ['Shift+1 … 9', 'what it may be as well'],
            ['U', 'how sure: sure, fairly, unsure'],
            ['Z', 'closer by, or farther off'],
            ['B', 'another picture in view B'],
            ['N', 'note something'],
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
            ['?', 'this sheet'],
            ['Esc', 'close, disarm'],
        ],
    ],
];
