import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Field, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { Menu, MenuItem } from '../../ui/Menu';
import { NotShown } from '../../ui/NotShown';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';
import { FormAbout } from './FormAbout';
import { type FormFile, type Kind, kinds, moved, newQuestion, type Question, without } from './formFile';
import { QuestionLine } from './QuestionLine';
import { useFormDraft } from './useFormDraft';

/** A form, written as a page of sentences and questions, with the page that everybody will see beside it. */
export default function FormPage() {
  const { id = '' } = useParams();
  const form = useQuery({
    queryKey: ['form', id],
    queryFn: () => take(api.GET('/api/forms/{id}', { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (form.isPending) return <Loading what={phrase('Opening the form')} />;
  if (form.error) {
    return <NotShown title={phrase('Form')} error={form.error} />;
  }
  return <Writing key={id} loaded={form.data} />;
}

const says = { saved: phrase('saved'), writing: phrase('not saved yet'), saving: phrase('saving') };

function Writing({ loaded }: { loaded: Schemas['FormDto'] }) {
  const { draft, change, findings, saved, error, save } = useFormDraft(loaded);
  const [picked, setPicked] = useState<string>();
  const [adding, setAdding] = useState(false);
  const set = (part: Partial<FormFile>) => change({ ...draft, ...part });
  const at = draft.questions.findIndex((q) => q.id === picked);
  const pickAt = (n: number) => {
    const next = draft.questions[Math.max(0, Math.min(draft.questions.length - 1, n))];
    if (!next) return;
    setPicked(next.id);
    document.getElementById(`question-${next.id}`)?.scrollIntoView({ block: 'nearest' });
  };
  const setQuestion = (id: string, part: Partial<Question>) =>
    set({ questions: draft.questions.map((q) => (q.id === id ? { ...q, ...part } : q)) });
  const add = (kind: Kind) => {
    const question = newQuestion(
      kind,
      draft.questions.map((q) => q.id),
    );
    const place = at < 0 ? draft.questions.length : at + 1;
    set({ questions: [...draft.questions.slice(0, place), question, ...draft.questions.slice(place)] });
    setPicked(question.id);
  };
  useKeys({ j: () => pickAt(at + 1), k: () => pickAt(at - 1), n: () => setAdding(true) });
  const general = findings.filter((f) => !/^\/questions\/\d/.test(f.pointer));
  return (
    <DayPage
      marginTitle={phrase('As it will be seen')}
      margin={<Margin loaded={loaded} draft={draft} findings={findings} saved={saved} save={save} />}
    >
      <PageHead
        title={
          <h1 className="flex-1">
            <input
              aria-label={phrase('What the form is called')}
              className="w-full !border-0 !bg-transparent !px-0 !py-1 font-serif text-[length:inherit]"
              value={draft.name}
              onChange={(e) => set({ name: e.target.value })}
            />
          </h1>
        }
        aside={
          <>
            <span role="status">{says[saved]}</span> · <Link to={`/forms/${loaded.id}/sent`}>{phrase('what was sent')}</Link> ·{' '}
            <Link to="/forms">{phrase('all forms')}</Link>
          </>
        }
      />
      <Trouble error={error} />
      <div className="px-7 pb-4 font-serif max-[699px]:px-4">
        <FormAbout draft={draft} set={set} />
        {general.map((f) => (
          <p key={f.pointer + f.message} className="m-0 text-small text-ember">
            {f.message}
          </p>
        ))}
      </div>
      <Stretch title={phrase('It asks')} note={phrase('{questions, number} of at most 60', { questions: draft.questions.length })} />
      {draft.questions.map((q, i) => (
        <QuestionLine
          key={q.id}
          question={q}
          form={draft}
          number={i + 1}
          on={q.id === picked}
          findings={findings.filter((f) => f.pointer === `/questions/${i}` || f.pointer.startsWith(`/questions/${i}/`))}
          pick={() => setPicked(q.id)}
          set={(part) => setQuestion(q.id, part)}
          setForm={set}
          move={(by) => change(moved(draft, q.id, by))}
          remove={() => {
            const before = draft;
            change(without(draft, q.id));
            said(phrase('“{ask}” is no longer asked.', { ask: q.ask }), async () => change(before));
          }}
        />
      ))}
      <p className="row">
        <Menu trigger={phrase('+ a question')} className="min-h-6 text-leaf" open={adding} setOpen={setAdding}>
          {(Object.keys(kinds) as Kind[]).map((kind) => (
            <MenuItem key={kind} choose={() => add(kind)}>
              {kinds[kind]}
            </MenuItem>
          ))}
        </Menu>
      </p>
      <Stretch title={phrase('Then')} />
      <div className="px-7 pb-8 max-[699px]:px-4">
        <Field label={phrase('What is said when it was sent')}>
          {(id) => (
            <textarea
              id={id}
              rows={2}
              className="w-full font-serif"
              placeholder={phrase('Thank you. It has reached us.')}
              value={draft.thanks ?? ''}
              onChange={(e) => set({ thanks: e.target.value })}
            />
          )}
        </Field>
        <Field label={phrase('Or the address they go on to')}>
          {(id) => (
            <input
              id={id}
              className="w-full"
              placeholder="https://example.com/thanks"
              value={draft.goOn ?? ''}
              onChange={(e) => set({ goOn: e.target.value.trim() || undefined })}
            />
          )}
        </Field>
        <Field label={phrase('What is said when it is closed')}>
          {(id) => (
            <textarea
              id={id}
              rows={2}
              className="w-full font-serif"
              placeholder={phrase('This form takes no more.')}
              value={draft.closed ?? ''}
              onChange={(e) => set({ closed: e.target.value })}
            />
          )}
        </Field>
      </div>
    </DayPage>
  );
}

/** The page as it will be seen, and showing it to everybody. */
function Margin({
  loaded,
  draft,
  findings,
  saved,
  save,
}: {
  loaded: Schemas['FormDto'];
  draft: FormFile;
  findings: Schemas['FindingDto'][];
  saved: string;
  save: () => Promise<void>;
}) {
  const queries = useQueryClient();
  const go = useNavigate();
  const may = useMay('show-forms');
  const mayExport = useMay('export-people');
  const [open, setOpen] = useState(false);
  const page = useQuery({
    queryKey: ['form', loaded.id, 'preview', draft],
    placeholderData: keepPreviousData,
    queryFn: () => take(api.POST('/api/forms/preview', { body: { draft: draft as never } })),
  });
  const form = useQuery({
    queryKey: ['form', loaded.id],
    queryFn: () => take(api.GET('/api/forms/{id}', { params: { path: { id: loaded.id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const shown = form.data?.shown ?? null;
  const changed = shown !== null && JSON.stringify(shown) !== JSON.stringify(form.data?.draft);
  const refresh = (answer: Schemas['FormDto']) => {
    queries.setQueryData(['form', loaded.id], answer);
    queries.invalidateQueries({ queryKey: ['forms'] });
  };
  const show = useMutation({
    mutationFn: async () => {
      await save();
      return take(api.POST('/api/forms/{id}/show', { params: { path: { id: loaded.id } } }));
    },
    onSuccess: (answer) => {
      refresh(answer);
      said(phrase('Everybody can open it now.'));
    },
  });
  const hide = useMutation({
    mutationFn: async () => {
      await take(api.POST('/api/forms/{id}/hide', { params: { path: { id: loaded.id } } }));
      return take(api.GET('/api/forms/{id}', { params: { path: { id: loaded.id } } }));
    },
    onSuccess: (answer) => {
      refresh(answer);
      said(phrase('It is taken back. Nobody can open it any more.'), () => show.mutateAsync());
    },
  });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/forms/{id}', { params: { path: { id: loaded.id } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['forms'] });
      go('/forms');
    },
  });
  const wrong = findings.filter((f) => !f.isWarning).length;
  const embed = `<script src="${loaded.address}/embed.js"></script>`;
  return (
    <>
      <p className="m-0">
        {shown === null
          ? phrase('Nobody sees it yet.')
          : changed
            ? phrase('Everybody sees it as it was before the last changes.')
            : phrase('Everybody sees it as it stands here.')}
      </p>
      {may && (shown === null || changed) && (
        <p className="mt-2">
          <Button look="main" disabled={show.isPending || wrong > 0} onClick={() => show.mutate()}>
            {shown === null ? phrase('Show it to everybody') : phrase('Show it like this')}
          </Button>
          {wrong > 0 && (
            <span className="ml-3 text-small text-ember">
              {wrong === 1
                ? phrase('one thing is to be put right first')
                : phrase('{wrong, number} things are to be put right first', { wrong })}
            </span>
          )}
        </p>
      )}
      <Trouble error={show.error ?? hide.error ?? remove.error} />
      {shown !== null && (
        <p className="mt-2 text-small break-all">
          <a href={loaded.address} target="_blank" rel="noreferrer">
            {loaded.address}
          </a>
        </p>
      )}
      <h3 className="mt-4">{phrase('As it will be seen')}</h3>
      <Trouble error={page.error} />
      {page.data?.page ? (
        <iframe
          title={phrase('The form as it will be seen')}
          sandbox=""
          srcDoc={page.data.page}
          className="h-[52vh] w-full border border-rule bg-paper"
        />
      ) : (
        <p className="text-small text-soft">{phrase('It is shown here as soon as it is in order.')}</p>
      )}
      <p className="mt-3">
        <Button onClick={() => setOpen(!open)} aria-expanded={open}>
          {phrase('where it can stand')}
        </Button>
      </p>
      {open && (
        <>
          <Field label={phrase('In any other page, by one line')}>
            {(id) => (
              <textarea
                id={id}
                readOnly
                rows={3}
                className="w-full font-mono text-small"
                value={embed}
                onFocus={(e) => e.target.select()}
              />
            )}
          </Field>
          <p className="text-small text-soft">
            {phrase(
              'Where a page takes no script, link to the address, or post to it with a form of your own: the ids of the questions are the names of its fields.',
            )}
          </p>
          <img
            src={`/api/forms/${loaded.id}/code.svg`}
            alt={phrase('The code of {address}', { address: loaded.address })}
            className="mt-2 h-36 w-36 bg-white"
          />
          <ul className="m-0 mt-2 list-none p-0 text-small leading-7">
            <li>
              <a href={`/api/forms/${loaded.id}/code.png`} download={`${draft.name}.png`}>
                {phrase('the code as a picture')}
              </a>
            </li>
            <li>
              <a href={`/api/forms/${loaded.id}/sheet.pdf`} target="_blank" rel="noreferrer">
                {phrase('a sheet to sign up on, A4')}
              </a>{' '}
              ·{' '}
              <a href={`/api/forms/${loaded.id}/sheet.pdf?letter=true`} target="_blank" rel="noreferrer">
                {phrase('Letter')}
              </a>
            </li>
            <li>
              <a href={`/api/forms/${loaded.id}/file.json`} download={`${draft.name}.form.json`}>
                {phrase('the form as a file')}
              </a>
            </li>
            {mayExport && (
              <li>
                <a href={`/api/forms/${loaded.id}/submissions.csv`} download={`${draft.name}.csv`}>
                  {phrase('what was sent, as a file')}
                </a>
              </li>
            )}
          </ul>
        </>
      )}
      <p className="mt-4 flex flex-wrap gap-x-4">
        {may && shown !== null && (
          <Button look="plain" disabled={hide.isPending} onClick={() => hide.mutate()}>
            {phrase('take it back')}
          </Button>
        )}
        {shown === null && loaded.sent === 0 && (
          <Button look="danger" disabled={remove.isPending || saved === 'saving'} onClick={() => remove.mutate()}>
            {phrase('throw it away')}
          </Button>
        )}
      </p>
    </>
  );
}
