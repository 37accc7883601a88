import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { useKeys } from '../ui/keys';
import { phrase } from '../words/phrase';

const groups: [string, [string, string][]][] = [
  [
    phrase('Everywhere'),
    [
      [phrase('Ctrl K'), phrase('find anyone')],
      [phrase('Ctrl Z'), phrase('take back what was done last')],
      ['i', phrase('take an inquiry in')],
      ['?', phrase('this sheet')],
      [phrase('g, then t'), phrase('go to Today')],
      [phrase('g, then a'), phrase('go to the Almanac')],
      [phrase('g, then p'), phrase('go to People')],
      [phrase('g, then i'), phrase('go to Inquiries')],
      [phrase('g, then o'), phrase('go to the Pipeline')],
      [phrase('g, then r'), phrase('go to Programs')],
      [phrase('g, then b'), phrase('go to Broadcasts')],
      [phrase('g, then l'), phrase('go to Letters')],
      [phrase('g, then s'), phrase('go to Results')],
      [phrase('Ctrl Enter'), phrase('save what is written')],
      ['Esc', phrase('close what floats')],
    ],
  ],
  [
    phrase('Today'),
    [
      ['j k', phrase('next, previous')],
      ['1 … 9', phrase('how the call went')],
      ['m', phrase('a call to another day')],
      ['h', phrase('hold or release a message')],
      ['d', phrase('drop a message')],
      ['Enter', phrase('open the person')],
    ],
  ],
  [
    phrase('Proof'),
    [
      ['j k', phrase('next, previous message')],
      ['f', phrase('it is fine')],
      ['h d', phrase('hold, drop')],
      ['w', phrase('other words, for one person only')],
    ],
  ],
  [
    phrase('Tasks'),
    [
      ['j k', phrase('next, previous')],
      ['x', phrase('it is done')],
    ],
  ],
  [
    phrase('Almanac'),
    [
      ['j k', phrase('next, previous line')],
      ['h', phrase('hold or release all of a line')],
    ],
  ],
  [
    phrase('Inquiries'),
    [
      ['j k', phrase('next, previous')],
      ['w', phrase('write an answer')],
      ['c', phrase('they were called')],
      ['v', phrase('give it to somebody')],
      ['o', phrase('open an opportunity')],
      ['p', phrase('start a program')],
      ['a', phrase('mark as answered')],
      ['x', phrase('it is nothing')],
    ],
  ],
  [
    phrase('Pipeline'),
    [
      ['j k', phrase('next, previous')],
      ['x', phrase('mark it with others')],
      ['> <', phrase('to the next stage, the one before')],
      ['m', phrase('move to a stage')],
      ['w', phrase('won')],
      ['l', phrase('lost')],
      ['e', phrase('edit')],
    ],
  ],
  [
    phrase('A person'),
    [
      ['r', phrase('write a remark')],
      ['a', phrase('they answered')],
      ['s', phrase('move the stage')],
      ['t', phrase('put a tag on')],
      ['p', phrase('start a program')],
      ['e', phrase('edit')],
    ],
  ],
  [
    phrase('A program'),
    [
      ['n', phrase('a new step')],
      ['j k', phrase('next, previous step')],
      ['x', phrase('pick the step with others')],
      [phrase('Ctrl C X V'), phrase('copy, cut, put in steps')],
      ['Alt ↑ ↓', phrase('move the step')],
      ['Alt → ←', phrase('into a passage, out of it')],
      [phrase('Ctrl Shift Z'), phrase('do again')],
      ['[ ]', phrase('another person in the margin')],
      ['c', phrase('check')],
    ],
  ],
  [
    phrase('Broadcasts'),
    [
      ['w', phrase('write one')],
      ['[ ]', phrase('another recipient')],
    ],
  ],
  [
    phrase('A letter, a walk'),
    [
      ['[ ]', phrase('another reader')],
      ['n', phrase('on a walk: the next moment')],
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
          <Dialog.Title className="font-serif text-head">{phrase('Keys')}</Dialog.Title>
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
          <Dialog.Close className="mt-5 text-small text-leaf">{phrase('Close')}</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
