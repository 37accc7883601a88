import type { ReactNode } from 'react';
import { Menu, MenuItem } from '../../ui/Menu';
import { StepMark } from '../../ui/TouchLine';
import { phrase } from '../../words/phrase';
import { newId, type Step } from './programFile';
import { allSteps } from './stepTree';

const kinds: [Step['kind'], string][] = [
  ['email', phrase('an email')],
  ['text', phrase('a text')],
  ['call', phrase('a call')],
  ['note', phrase('a note')],
  ['task', phrase('a task')],
  ['post', phrase('a post for a public place')],
  ['tell-me', phrase('a message to the owner')],
  ['change', phrase('a change of tag, list or stage')],
  ['fork', phrase('a fork: one thing if they did something, another if not')],
  ['split', phrase('a trial: some get one thing, some another')],
  ['hand-over', phrase('going on with another program')],
  ['end', phrase('the end of the program')],
];

/**
 * A step of a kind as it is before anything is written in it.
 * @param steps the program's steps, for an id that none of them has
 * @param before those that come before it: a question is about the last letter of them
 */
export function newStep(kind: Step['kind'], steps: Step[], before: Step[]): Step {
  const all = allSteps(steps);
  const base = {
    id: newId(all, kind),
    when:
      all.length === 0
        ? ({ from: 'start', offset: 'P0D' } as const)
        : ({
            from: 'previous',
            offset: kind === 'change' || kind === 'fork' || kind === 'split' || kind === 'end' ? 'P0D' : 'P7D',
          } as const),
  };
  switch (kind) {
    case 'email':
      return { ...base, kind, subject: '', body: '' };
    case 'call':
      return { ...base, kind, script: '', slack: 'P2D', holds: false };
    case 'task':
      return { ...base, kind, title: '' };
    case 'text':
    case 'note':
    case 'post':
    case 'tell-me':
      return { ...base, kind, body: '' };
    case 'change':
      return { ...base, kind, set: [] };
    case 'fork': {
      const letter = before.filter((s) => s.kind === 'email').at(-1);
      return letter
        ? { ...base, kind, if: { kind: 'opened', step: letter.id }, within: 'P3D', then: [], else: [] }
        : { ...base, kind, if: { field: 'email', op: 'exists' }, then: [], else: [] };
    }
    case 'split':
      return {
        ...base,
        kind,
        passages: [
          { share: 50, steps: [] },
          { share: 50, steps: [] },
        ],
      };
    case 'hand-over':
      return { ...base, kind, program: '' };
    case 'end':
      return { ...base, kind };
  }
}

/** The kinds of steps there are, to choose one from. */
export function AddStep({
  children,
  label,
  className = 'py-1.5',
  open,
  setOpen,
  add,
}: {
  children: ReactNode;
  label?: string;
  className?: string;
  open?: boolean;
  setOpen?: (open: boolean) => void;
  add: (kind: Step['kind']) => void;
}) {
  return (
    <Menu
      trigger={children}
      label={label}
      className={`font-serif text-soft hover:text-ink ${className}`}
      open={open}
      setOpen={setOpen}
      focusElsewhere
    >
      {kinds.map(([kind, word]) => (
        <MenuItem key={kind} choose={() => add(kind)}>
          <StepMark kind={kind} /> {word}
        </MenuItem>
      ))}
    </Menu>
  );
}
