import type { ReactNode } from 'react';
import { Button } from '../../ui/bits';
import { span } from '../../ui/span';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { useNames } from '../rules/useNames';
import { AddStep } from './AddStep';
import { SpanForm, TextForm } from './forms';
import { PostWords } from './PostWords';
import { usePen } from './pen';
import { type Step, sayChange, sayQuestion, stepName } from './programFile';
import { Say, SayList } from './Say';
import { Gap } from './StepDrag';
import { filled, Holds, StepList, short } from './StepLine';
import { ChangeForm, QuestionForm, ShareForm } from './stepForms';
import { allSteps, passagesOf, stepsBefore } from './stepTree';
import { TextCount } from './TextCount';

type Props = {
  step: Exclude<Step, { kind: 'email' | 'call' | 'hand-over' }>;
  when: ReactNode;
  kind: (word: string) => ReactNode;
  pointer: string;
};

const verbs = {
  text: phrase('Text'),
  note: phrase('Note'),
  task: phrase('Task'),
  post: phrase('Post'),
  'tell-me': phrase('Tell the owner'),
};
const things = {
  text: phrase('text'),
  note: phrase('note'),
  task: phrase('task'),
  post: phrase('post'),
  'tell-me': phrase('message to the owner'),
};

/** The sentence of a step that is neither a letter, a call nor a going on. */
export function OtherStep({ step, when, kind, pointer }: Props) {
  const { set, person, personId, steps } = usePen();
  const names = useNames();
  if (step.kind === 'text' || step.kind === 'note' || step.kind === 'tell-me' || step.kind === 'task' || step.kind === 'post') {
    const words = step.kind === 'task' ? step.title : step.body;
    return (
      <>
        <Sentence
          m="{kind} {when}: “{words}”. "
          v={{
            kind: kind(verbs[step.kind]),
            when,
            words: (
              <Say
                words={short(filled(words, person)) || phrase('nothing yet')}
                label={phrase('What the {things} says', { things: things[step.kind] })}
              >
                {(close) => (
                  <TextForm
                    label={phrase('What it says')}
                    value={words}
                    below={step.kind === 'text' ? (text) => <TextCount text={text} person={personId} /> : undefined}
                    done={(text) => {
                      set(step.kind === 'task' ? { ...step, title: text } : { ...step, body: text });
                      close();
                    }}
                  />
                )}
              </Say>
            ),
          }}
        />
        {step.kind === 'post' && <PostWords step={step} />}
        {(step.kind === 'note' || step.kind === 'task' || step.kind === 'post') && (
          <Holds
            step={step}
            done={{ note: phrase('it is posted'), task: phrase('it is done'), post: phrase('it stands there') }[step.kind]}
          />
        )}
      </>
    );
  }
  if (step.kind === 'change') {
    return (
      <>
        {kind(phrase('Change'))} {when}:{' '}
        <SayList
          items={Array.isArray(step.set) ? step.set : [step.set]}
          say={sayChange}
          word={phrase('and')}
          label={phrase('Change')}
          none={phrase('choose what')}
          more={phrase('and something else')}
          least={1}
          set={(changes) => set({ ...step, set: changes })}
          form={(item, done) => <ChangeForm item={item} done={done} />}
        />
        .
      </>
    );
  }
  if (step.kind === 'fork') {
    const all = allSteps(steps);
    const stepOf = (id: string) => {
      const other = all.find((s) => s.id === id);
      return other ? short(filled(stepName(other), person)) || phrase('a step without words') : phrase('a step that is gone');
    };
    const asked = sayQuestion(step.if, stepOf, names);
    const within = step.within ? phrase('within {within}', { within: span(step.within) }) : phrase('as things stand then');
    return (
      <Sentence
        m="{kind} {asked} {within}, asked {when}:{passage}Otherwise:{passage2}"
        v={{
          kind: kind(phrase('If')),
          asked: (
            <Say words={asked} label={phrase('What it asks: {asked}', { asked })}>
              {(close) => (
                <QuestionForm
                  question={step.if}
                  before={stepsBefore(steps, step.id)}
                  done={(question) => {
                    set({ ...step, if: question });
                    close();
                  }}
                />
              )}
            </Say>
          ),
          within: (
            <Say words={within} label={phrase('How long it waits for a yes')} soft={!step.within}>
              {(close) => (
                <SpanForm
                  label={phrase('How long it waits for a yes')}
                  value={step.within}
                  none={phrase('empty: it does not wait, it goes by how things stand')}
                  units={['hours', 'days', 'weeks']}
                  done={(within) => {
                    set({ ...step, within });
                    close();
                  }}
                />
              )}
            </Say>
          ),
          when,
          passage: <Passage owner={step} place={0} pointer={pointer} name={phrase('If so')} />,
          passage2: <Passage owner={step} place={1} pointer={pointer} name={phrase('Otherwise')} />,
        }}
      />
    );
  }
  if (step.kind === 'split') {
    const whole = step.passages.reduce((sum, p) => sum + p.share, 0);
    const setPassages = (passages: typeof step.passages) => set({ ...step, passages });
    return (
      <>
        {kind(phrase('Split'))} {when}:
        {step.passages.map((p, i) => (
          // Passages have no names of their own; their place is what they are known by.
          <div key={i}>
            <Say
              words={phrase('{round} of a hundred', { round: Math.round((p.share / whole) * 100) })}
              label={phrase('Share of passage {i, number}', { i: i + 1 })}
            >
              {(close) => (
                <>
                  <ShareForm
                    share={p.share}
                    done={(share) => {
                      setPassages(step.passages.map((x, j) => (j === i ? { ...x, share } : x)));
                      close();
                    }}
                  />
                  {step.passages.length > 2 && (
                    <Button look="danger" className="mt-3" onClick={() => setPassages(step.passages.filter((_, j) => j !== i))}>
                      {phrase('Take this way out')}
                    </Button>
                  )}
                </>
              )}
            </Say>
            :
            <Passage owner={step} place={i} pointer={pointer} name={`Passage ${i + 1}`} />
          </div>
        ))}
        <button
          type="button"
          className="text-soft hover:text-ink"
          onClick={() => setPassages([...step.passages, { share: step.passages.at(-1)?.share ?? 50, steps: [] }])}
        >
          {phrase('+ another way')}
        </button>
      </>
    );
  }
  return (
    <>
      {kind(phrase('The program ends'))} {when}.
    </>
  );
}

/** An indented passage of the step at `pointer`, written like the program itself. */
function Passage({ owner, place, pointer, name }: { owner: Step; place: number; pointer: string; name: string }) {
  const { addInto } = usePen();
  const passage = passagesOf(owner)[place];
  const steps = passage?.steps ?? [];
  return (
    <div className="ml-1">
      <StepList steps={steps} pointer={`${pointer}${passage?.pointer}`} inside={{ owner: owner.id, passage: place }} />
      {steps.length === 0 && (
        <span className="relative ml-6 text-soft">
          <Gap place={{ owner: owner.id, passage: place }} side="bottom" />
          {phrase('nothing, it goes on ·')}{' '}
        </span>
      )}
      <span className={steps.length === 0 ? '' : 'ml-6'}>
        <AddStep label={phrase('{name}: + a step', { name })} className="pb-1" add={(kind) => addInto(owner.id, place, kind)}>
          {phrase('+ a step')}
        </AddStep>
      </span>
    </div>
  );
}
