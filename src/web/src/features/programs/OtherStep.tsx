import type { ReactNode } from 'react';
import { StepMark } from '../../ui/TouchLine';
import { TextForm } from './forms';
import { allSteps, type Step, sayChange, sayQuestion, sayWhen, span, stepName } from './programFile';
import { Say } from './Say';

type Props = {
  step: Step;
  when: ReactNode;
  kind: (word: string) => ReactNode;
  all: Step[];
  person?: string;
  set: (step: Step) => void;
};

const verbs: Record<string, string> = { text: 'Text', note: 'Note', task: 'Task', 'tell-me': 'Tell the owner' };
const short = (text: string) => (text.length > 90 ? `${text.slice(0, 87)}…` : text) || 'nothing yet';

/** The sentence of a step that is neither a letter, a call nor a going on: its words are changed in place, its passages read. */
export function OtherStep({ step, when, kind, all, set }: Props) {
  if (step.kind === 'text' || step.kind === 'note' || step.kind === 'tell-me' || step.kind === 'task') {
    const words = step.kind === 'task' ? step.title : step.body;
    return (
      <>
        {kind(verbs[step.kind] ?? step.kind)} {when}: “
        <Say words={short(words)} label={`What the ${step.kind} says`}>
          {(close) => (
            <TextForm
              label="What it says; merge fields like {{ person.first_name }} are filled in"
              value={words}
              done={(text) => {
                set(step.kind === 'task' ? { ...step, title: text } : { ...step, body: text });
                close();
              }}
            />
          )}
        </Say>
        ”.
      </>
    );
  }
  if (step.kind === 'change') {
    return (
      <>
        {kind('Change')} {when}: {sayChange(step.set)}.
      </>
    );
  }
  if (step.kind === 'fork') {
    const nameOf = (id: string) => short(stepName(allSteps(all).find((s) => s.id === id) ?? { ...step, id }));
    return (
      <>
        {kind('If')} {sayQuestion(step.if, nameOf)}
        {step.within ? ` within ${span(step.within)}` : ''}, asked {when}:
        <Passage steps={step.then} all={all} />
        {step.else && step.else.length > 0 && (
          <>
            Otherwise:
            <Passage steps={step.else} all={all} />
          </>
        )}
      </>
    );
  }
  if (step.kind === 'split') {
    return (
      <>
        {kind('Split')} {when}:
        {step.passages.map((p, i) => (
          <div key={i}>
            {p.share} of a hundred:
            <Passage steps={p.steps} all={all} />
          </div>
        ))}
      </>
    );
  }
  return (
    <>
      {kind('The program ends')} {when}.
    </>
  );
}

/** An indented passage, read in order. */
function Passage({ steps, all }: { steps: Step[]; all: Step[] }) {
  if (steps.length === 0) return <p className="m-0 ml-6 text-soft">nothing, it goes on</p>;
  return (
    <ul className="my-1 ml-1 list-none border-l border-rule p-0 pl-4">
      {steps.map((s, i) => (
        <li key={s.id} className="py-0.5">
          <StepMark kind={s.kind} />{' '}
          {s.kind === 'fork' || s.kind === 'split' || s.kind === 'change' || s.kind === 'end' ? (
            <OtherStep step={s} when={sayWhen(s.when, false)} kind={(word) => word} all={all} set={() => undefined} />
          ) : (
            <>
              {s.kind === 'hand-over'
                ? `They go on with “${s.program}”`
                : `${verbs[s.kind] ?? (s.kind === 'email' ? 'Email' : 'Call')} “${short(stepName(s))}”`}{' '}
              {sayWhen(s.when, i === 0)}.
            </>
          )}
        </li>
      ))}
    </ul>
  );
}
