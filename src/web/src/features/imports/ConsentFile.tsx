import { useMutation } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { type Schemas, upload } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { Stretch } from '../../ui/DayPage';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Report = Schemas['ConsentFileDto'];

/** A ledger of consent kept elsewhere: read, shown, and added to the people who are here. */
export function ConsentFile() {
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File>();
  const read = useMutation({ mutationFn: (f: File) => upload<Report>('/api/consent-files', f) });
  const add = useMutation({ mutationFn: (f: File) => upload<Report>('/api/consent-files?write=true', f) });
  const report = add.data ?? read.data;
  return (
    <>
      <Stretch title={phrase('Consent kept elsewhere')} />
      <div className="px-7 pt-2 pb-6">
        <p>
          <Sentence
            m="Who said yes and no, on what grounds and when, as a CSV file. <button>Choose one</button>"
            v={{
              button: (c) => (
                <button type="button" className="say text-leaf" onClick={() => input.current?.click()}>
                  {c}
                </button>
              ),
            }}
          />
        </p>
        <p className="mt-1 text-small text-soft">
          {phrase(
            'Columns: email or mobile, channel, purpose, topic, decision, basis, at, source, evidence. The people have to be here already.',
          )}
        </p>
        <input
          ref={input}
          type="file"
          accept=".csv,.txt,.tsv,text/csv"
          className="sr-only"
          aria-label={phrase('A CSV file of consent')}
          tabIndex={-1}
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            if (chosen) {
              setFile(chosen);
              add.reset();
              read.mutate(chosen);
            }
            e.target.value = '';
          }}
        />
        {(read.isPending || add.isPending) && <p role="status">{phrase('Reading …')}</p>}
        <Trouble error={read.error ?? add.error} />
        {report && <WhatItBrings report={report} name={file?.name ?? ''} />}
        {report && !report.written && report.new > 0 && file && (
          <p className="mt-3">
            <Button onClick={() => add.mutate(file)} disabled={add.isPending}>
              {phrase('Add {new, plural, one {# entry} other {# entries}} to the ledger', { new: report.new })}
            </Button>
          </p>
        )}
      </div>
    </>
  );
}

function WhatItBrings({ report: r, name }: { report: Report; name: string }) {
  return (
    <section aria-label={phrase('What the file brings')} className="mt-3" role="status">
      <p>
        <Sentence
          m="{span}: {rows, plural, one {# row} other {# rows}}; {written}, {known, number} in the ledger already, {problemsInAll, plural, one {# row} other {# rows}} left out."
          v={{
            span: <span className="font-semibold">{name}</span>,
            rows: r.rows,
            written: r.written
              ? phrase('{new, plural, one {# entry was} other {# entries were}} added', { new: r.new })
              : phrase('{new, number} new', { new: r.new }),
            known: r.known,
            problemsInAll: r.problemsInAll,
          }}
        />
      </p>
      {r.problems.length > 0 && (
        <ul className="mt-1 list-none p-0">
          {r.problems.map((p) => (
            <li key={`${p.line}${p.text}`} className="border-t border-dotted border-rule py-1 text-small">
              <span className="text-soft">{phrase('row {line, number}', { line: p.line })}</span> {p.text}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
