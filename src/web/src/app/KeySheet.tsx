import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { useKeys } from '../ui/keys';

const groups: [string, [string, string][]][] = [
  [
    'Everywhere',
    [
      ['Ctrl K', 'find anyone'],
      ['Ctrl Z', 'take back what was done last'],
      ['i', 'take an inquiry in'],
      ['?', 'this sheet'],
      ['g, then t', 'go to Today'],
      ['g, then a', 'go to the Almanac'],
      ['g, then p', 'go to People'],
      ['g, then i', 'go to Inquiries'],
      ['g, then o', 'go to the Pipeline'],
      ['g, then r', 'go to Programs'],
      ['g, then b', 'go to Broadcasts'],
      ['g, then l', 'go to Letters'],
      ['g, then s', 'go to Results'],
      ['Ctrl Enter', 'save what is written'],
      ['Esc', 'close what floats'],
    ],
  ],
  [
    'Today',
    [
      ['j k', 'next, previous'],
      ['1 … 9', 'how the call went'],
      ['m', 'a call to another day'],
      ['h', 'hold or release a message'],
      ['d', 'drop a message'],
      ['Enter', 'open the person'],
    ],
  ],
  [
    'Proof',
    [
      ['j k', 'next, previous message'],
      ['f', 'it is fine'],
      ['h d', 'hold, drop'],
      ['w', 'other words, for one person only'],
    ],
  ],
  [
    'Tasks',
    [
      ['j k', 'next, previous'],
      ['x', 'it is done'],
    ],
  ],
  [
    'Almanac',
    [
      ['j k', 'next, previous line'],
      ['h', 'hold or release all of a line'],
    ],
  ],
  [
    'Inquiries',
    [
      ['j k', 'next, previous'],
      ['w', 'write an answer'],
      ['c', 'they were called'],
      ['v', 'give it to somebody'],
      ['o', 'open an opportunity'],
      ['p', 'start a program'],
      ['a', 'mark as answered'],
      ['x', 'it is nothing'],
    ],
  ],
  [
    'Pipeline',
    [
      ['j k', 'next, previous'],
      ['x', 'mark it with others'],
      ['> <', 'to the next stage, the one before'],
      ['m', 'move to a stage'],
      ['w', 'won'],
      ['l', 'lost'],
      ['e', 'edit'],
    ],
  ],
  [
    'A person',
    [
      ['r', 'write a remark'],
      ['a', 'they answered'],
      ['s', 'move the stage'],
      ['t', 'put a tag on'],
      ['p', 'start a program'],
      ['e', 'edit'],
    ],
  ],
  [
    'A program',
    [
      ['n', 'a new step'],
      ['j k', 'next, previous step'],
      ['x', 'pick the step with others'],
      ['Ctrl C X V', 'copy, cut, put in steps'],
      ['Alt ↑ ↓', 'move the step'],
      ['Alt → ←', 'into a passage, out of it'],
      ['Ctrl Shift Z', 'do again'],
      ['[ ]', 'another person in the margin'],
      ['c', 'check'],
    ],
  ],
  [
    'Broadcasts',
    [
      ['w', 'write one'],
      ['[ ]', 'another recipient'],
    ],
  ],
  [
    'A letter, a walk',
    [
      ['[ ]', 'another reader'],
      ['n', 'on a walk: the next moment'],
    ],
  ],
];

/** The sheet of keys, on “?”. */
export function KeySheet() {
  const [open, setOpen] = useState(false);
  useKeys({ '?': () => setOpen(true) });
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content
          className="float fixed top-1/2 left-1/2 w-[min(640px,94vw)] -translate-x-1/2 -translate-y-1/2 p-6"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-serif text-head">Keys</Dialog.Title>
          <div className="mt-3 grid grid-cols-2 gap-x-8 gap-y-4 max-[699px]:grid-cols-1">
            {groups.map(([name, keys]) => (
              <section key={name}>
                <h3>{name}</h3>
                <dl className="mt-1 text-small">
                  {keys.map(([key, what]) => (
                    <div key={key} className="flex gap-3 border-t border-rule py-1">
                      <dt className="w-28">
                        <kbd>{key}</kbd>
                      </dt>
                      <dd className="text-soft">{what}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
          <Dialog.Close className="mt-5 text-small text-leaf">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
