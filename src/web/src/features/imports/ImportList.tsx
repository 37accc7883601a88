import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, type Schemas, take, upload } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Empty, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { nearDay } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { ConsentFile } from './ConsentFile';
import { PasteList } from './PasteList';

/** Dropping a file of people, and the files brought in before. */
export default function ImportList() {
  const go = useNavigate();
  const { now, zone } = useNow();
  const mayBringConsent = useMay('bring-consent-in');
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const imports = useQuery({ queryKey: ['imports'], queryFn: () => take(api.GET('/api/imports')) });
  const send = useMutation({
    mutationFn: (file: File) => upload<Schemas['ImportDto']>('/api/imports', file),
    onSuccess: (row) => go(`/people/bring-in/${row.id}`),
  });
  const states: Record<string, string> = {
    review: phrase('not brought in yet'),
    queued: phrase('waits its turn'),
    running: phrase('under way'),
    stopped: phrase('stopped'),
    done: phrase('brought in'),
    failed: phrase('failed'),
    undone: phrase('undone'),
  };
  return (
    <DayPage
      marginTitle={phrase('What happens')}
      margin={
        <>
          <h3>{phrase('What happens')}</h3>
          <p className="mt-1 mb-4">
            {phrase(
              'Germinal reads the list as it is and shows what it makes of it: who is new, who is known, every doubt with its row. Nothing is written until you say so.',
            )}
          </p>
          <h3>{phrase('What may be in it')}</h3>
          <p className="mt-1">
            {phrase(
              'Columns of any name; dates and numbers in any style; two addresses in a cell; remarks. Of a workbook the values, one sheet at a time; of cards everything but their pictures. Blanks of people who are known are filled, nothing is overwritten.',
            )}
          </p>
        </>
      }
    >
      <PageHead title={phrase('Bring people in')} aside={<Link to="/people">{phrase('all people')}</Link>} />
      <div className="px-7 pb-6">
        {/* biome-ignore lint/a11y/noStaticElementInteractions: the button inside does the same by keyboard */}
        <div
          className={`border border-dashed px-6 py-10 text-center ${over ? 'border-leaf bg-leaf-pale' : 'border-ink-faint'}`}
          onDragOver={(e) => {
            e.preventDefault();
            setOver(true);
          }}
          onDragLeave={() => setOver(false)}
          onDrop={(e) => {
            e.preventDefault();
            setOver(false);
            const file = e.dataTransfer.files[0];
            if (file) send.mutate(file);
          }}
        >
          <p className="font-serif text-lead">
            <Sentence
              m="Drop the list here, or <button>choose one</button>."
              v={{
                button: (c) => (
                  <button type="button" className="say text-leaf" onClick={() => input.current?.click()}>
                    {c}
                  </button>
                ),
              }}
            />
          </p>
          <p className="mt-1 text-small text-soft">{phrase('A workbook (.xlsx, .ods), CSV, or cards of an address book (.vcf).')}</p>
          <input
            ref={input}
            type="file"
            accept=".csv,.txt,.tsv,.xlsx,.xlsm,.ods,.vcf,.vcard,text/csv,text/vcard"
            className="sr-only"
            aria-label={phrase('A file of people')}
            tabIndex={-1}
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) send.mutate(file);
              e.target.value = '';
            }}
          />
          {send.isPending && <p role="status">{phrase('Reading …')}</p>}
        </div>
        <Trouble error={send.error} />
        <div className="mt-4">
          <PasteList send={(file) => send.mutate(file)} busy={send.isPending} />
        </div>
      </div>
      {mayBringConsent && <ConsentFile />}
      <Stretch title={phrase('Brought in before')} />
      {imports.data?.length === 0 && <Empty>{phrase('No list yet.')}</Empty>}
      {imports.data?.map((i) => (
        <Link key={i.id} to={`/people/bring-in/${i.id}`} className="row flex gap-4 text-ink no-underline hover:bg-picked">
          <span className="gutter">{nearDay(i.createdAt, zone, now)}</span>
          <span className="flex-1 font-semibold">{i.fileName}</span>
          <span className="text-small text-soft">
            {states[i.status]}
            {i.status === 'done' &&
              phrase(': {added, plural, one {# person} other {# people}} new, {filled, number} filled, {leftOut, number} left out', {
                added: i.added,
                filled: i.filled,
                leftOut: i.leftOut,
              })}{' '}
            · {i.by}
          </span>
        </Link>
      ))}
    </DayPage>
  );
}
