// @vitest-environment jsdom
import fs from 'node:fs';
import path from 'node:path';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import type { ReactNode } from 'react';
import { afterEach, describe, expect, test, vi } from 'vitest';
import { RuleForm } from '../rules/RuleForm';
import { partsOf } from '../rules/ruleLanguage';
import { AgainForm, SpanForm, StopForm, TriggerForm, WhenForm, WindowForm } from './forms';
import { type Change, type ProgramFile, type Question, type Step, stops, type Trigger, triggers } from './programFile';
import { readSpan, writeSpan } from './SpanField';
import { ChangeForm, QuestionForm, ShareForm } from './stepForms';
import { allSteps } from './stepTree';

vi.mock('../../app/session', () => ({ useSession: () => ({ data: { stages: ['Planning/Inquiry'], tags: [] } }) }));
afterEach(cleanup);

/** Every program file of the repository. */
function programs() {
  const root = path.resolve(import.meta.dirname, '../../../../..');
  const found: string[] = [];
  const look = (folder: string) => {
    for (const entry of fs.readdirSync(folder, { withFileTypes: true })) {
      if (['node_modules', 'bin', 'obj', '.git', '.data', 'dist'].includes(entry.name)) continue;
      const at = path.join(folder, entry.name);
      if (entry.isDirectory()) look(at);
      else if (entry.name.endsWith('.program.json') || (path.basename(folder) === 'programs' && entry.name.endsWith('.json')))
        found.push(at);
    }
  };
  look(path.join(root, 'demo'));
  look(path.join(root, 'tests'));
  return found.map((file) => [path.basename(file), JSON.parse(fs.readFileSync(file, 'utf8')) as ProgramFile] as const);
}

/** Opens a form and takes it as it stands; gives back what it made. */
function taken<T>(form: (done: (value: T) => void) => ReactNode): T | undefined {
  let made: T | undefined;
  render(<QueryClientProvider client={new QueryClient()}>{form((value) => (made = value))}</QueryClientProvider>);
  fireEvent.submit(screen.getByRole('button', { name: 'Use this' }).closest('form') as HTMLFormElement);
  cleanup();
  return JSON.parse(JSON.stringify(made ?? null));
}

const said = <T,>(value: T) => JSON.parse(JSON.stringify(value ?? null));

describe('every form of every program, opened and taken unchanged, changes nothing', () => {
  const files = programs();
  test('there are programs to try', () => expect(files.length).toBeGreaterThan(10));
  test.each(files)('%s', (_, program) => {
    for (const item of program.startsWhen ?? []) expect(taken((done) => <TriggerForm item={item} done={done} />)).toEqual(item);
    for (const item of program.stopsWhen ?? []) expect(taken((done) => <StopForm item={item} done={done} />)).toEqual(item);
    if (program.again) expect(taken((done) => <AgainForm again={program.again} done={done} />)).toEqual(said(program.again));
    expect(taken((done) => <WindowForm program={program} done={done} />)).toEqual(
      said({ window: program.window, at: program.at, clock: program.clock }),
    );
    for (const part of partsOf(program.onlyIf)) expect(taken((done) => <RuleForm label="x" rule={part} done={done} />)).toEqual(part);
    const steps = allSteps(program.steps);
    for (const step of steps) {
      for (const part of partsOf(step.onlyIf)) expect(taken((done) => <RuleForm label="x" rule={part} done={done} />)).toEqual(part);
      if (step.when) expect(taken((done) => <WhenForm when={step.when} occasion done={done} />)).toEqual(step.when);
      for (const span of [step.lateLimit, 'slack' in step ? step.slack : undefined, step.kind === 'fork' ? step.within : undefined])
        if (span) expect(taken((done) => <SpanForm label="x" value={span} done={done} />)).toBe(span);
      for (const item of step.kind === 'change' ? ([step.set].flat() as Change[]) : [])
        expect(taken((done) => <ChangeForm item={item} done={done} />)).toEqual(item);
      if (step.kind === 'fork') expect(taken((done) => <QuestionForm question={step.if} before={steps} done={done} />)).toEqual(step.if);
      for (const passage of step.kind === 'split' ? step.passages : [])
        expect(taken((done) => <ShareForm share={passage.share} done={done} />)).toBe(passage.share);
    }
  });
});

describe('what the forms used to lose', () => {
  test.each(['P1M', 'P3M', 'PT2H', '-P6M', 'P2W', 'P1Y', 'P1DT2H', 'PT90M', '-P1DT12H', 'P0D'])('the span %s', (offset) => {
    expect(taken((done) => <WhenForm when={{ from: 'start', offset }} occasion done={done} />)).toEqual({ from: 'start', offset });
    const kind = offset.includes('T') ? 'appointment' : 'occasion';
    const item = (kind === 'occasion' ? { kind, date: 'birthday', offset } : { kind, offset }) as Trigger;
    expect(taken((done) => <TriggerForm item={item} done={done} />)).toEqual(item);
  });

  test.each<Trigger>([
    { kind: 'inquiry-unanswered', after: 'P3D', workingDays: false },
    { kind: 'occasion', date: 'a date of their own', offset: '-P6M', years: [60, 65], grace: 5 },
    { kind: 'appointment', type: 'review', offset: 'P1W' },
    { kind: 'stage-entered', stage: 'Another/Stage' },
    { kind: 'tag-added', tag: 'x', later: { key: 1 } } as never,
  ])('%o', (item) => expect(taken((done) => <TriggerForm item={item} done={done} />)).toEqual(item));

  test('a stop by one channel, and a yearly date', () => {
    expect(taken((done) => <StopForm item={{ kind: 'replied', channel: 'email' }} done={done} />)).toEqual({
      kind: 'replied',
      channel: 'email',
    });
    expect(taken((done) => <WhenForm when={{ from: 'yearly', date: '--06-14', at: '10:00' }} occasion={false} done={done} />)).toEqual({
      from: 'yearly',
      date: '--06-14',
      at: '10:00',
    });
  });

  test('a question keeps what it is asked with', () => {
    const question: Question = { kind: 'link-followed', step: 'a', link: 'guide' };
    const before = [{ id: 'a', kind: 'email', subject: 's', body: 'b', when: { from: 'start', offset: 'P0D' } }] as Step[];
    expect(taken((done) => <QuestionForm question={question} before={before} done={done} />)).toEqual(question);
  });
});

describe('choosing anew', () => {
  test('another kind begins anew, and the first one comes back as it was', () => {
    const item: Trigger = { kind: 'occasion', date: 'birthday', offset: '-P6M', years: [60] };
    let made: Trigger | undefined;
    render(<TriggerForm item={item} done={(t) => (made = t)} />);
    const kind = screen.getByLabelText('It starts when someone');
    fireEvent.change(kind, { target: { value: 'opportunity-won' } });
    fireEvent.submit(screen.getByRole('button', { name: 'Use this' }).closest('form') as HTMLFormElement);
    expect(made).toEqual({ kind: 'opportunity-won' });
    fireEvent.change(kind, { target: { value: 'occasion' } });
    fireEvent.submit(screen.getByRole('button', { name: 'Use this' }).closest('form') as HTMLFormElement);
    expect(made).toEqual(item);
  });

  test('a span is changed in its own unit', () => {
    let made: unknown;
    render(<WhenForm when={{ from: 'occasion', offset: '-P6M' }} occasion done={(w) => (made = w)} />);
    fireEvent.change(screen.getByLabelText('How long'), { target: { value: '3' } });
    fireEvent.submit(screen.getByRole('button', { name: 'Use this' }).closest('form') as HTMLFormElement);
    expect(made).toEqual({ from: 'occasion', offset: '-P3M' });
  });

  test('spans are read and written', () => {
    for (const written of ['P1D', '-P1D', 'P2W', 'P3M', '-P6M', 'P1Y', 'PT2H']) {
      const span = readSpan(written);
      expect(span && writeSpan(span)).toBe(written);
    }
    expect(readSpan('P1DT2H')).toBeNull();
  });

  test('every kind of the schema can be chosen', () => {
    const schema = JSON.parse(
      fs.readFileSync(path.resolve(import.meta.dirname, '../../../../Germinal.Core/Files/Schemas/program.schema.json'), 'utf8'),
    );
    expect(Object.keys(triggers).sort()).toEqual([...schema.$defs.trigger.properties.kind.enum].sort());
    expect(Object.keys(stops).sort()).toEqual([...schema.$defs.stop.properties.kind.enum].sort());
  });
});
