import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** Program files, one or many, taken in as programs being written; what is wrong with one is said with its place, and keeps no other out. */
export function BringPrograms() {
  const queries = useQueryClient();
  const [over, setOver] = useState(false);
  const bring = useMutation({
    mutationFn: async (files: File[]) => {
      const read = await Promise.all(files.map(async (f) => ({ name: f.name.slice(0, 200), text: await f.text() })));
      return take(api.POST('/api/programs/files', { body: { files: read } }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ['programs'] }),
  });
  const give = (files: FileList | null) => files && files.length > 0 && bring.mutate([...files]);
  return (
    <section
      aria-label={phrase('Bring programs in')}
      className={`mt-5 border-t border-rule pt-3 ${over ? 'bg-leaf-pale' : ''}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        give(e.dataTransfer.files);
      }}
    >
      <h3>{phrase('From files')}</h3>
      <p className="mt-1 mb-2">
        {phrase('Program files from here or elsewhere; several at once. Nothing of them goes out before you switch them on.')}
      </p>
      <input
        type="file"
        multiple
        accept=".json,application/json"
        aria-label={phrase('Program files')}
        className="w-full text-small"
        onChange={(e) => {
          give(e.target.files);
          e.target.value = '';
        }}
      />
      {bring.isPending && <p role="status">{phrase('Reading them …')}</p>}
      <Trouble error={bring.error} />
      {bring.data && (
        <ul aria-label={phrase('What became of the files')} aria-live="polite" className="m-0 mt-2 list-none p-0">
          {bring.data.map((taken, i) => (
            <Taken key={i} taken={taken} />
          ))}
        </ul>
      )}
    </section>
  );
}

function Taken({ taken }: { taken: Schemas['ProgramTakenDto'] }) {
  const wrong = taken.findings.filter((f) => !f.isWarning).length;
  return (
    <li className="border-t border-rule py-2">
      {taken.id ? (
        <>
          <Link to={`/programs/${taken.id}`} className="inline-flex min-h-6 items-center">
            {taken.name}
          </Link>
          {taken.findings.length > 0 && (
            <span className={`block text-small ${wrong > 0 ? 'text-ember' : 'text-straw'}`}>
              {phrase('{findings, plural, one {# thing is} other {# things are}} to be looked at here', {
                findings: taken.findings.length,
              })}
            </span>
          )}
        </>
      ) : (
        <>
          <b className="font-semibold text-ember">{phrase('{file} was not taken', { file: taken.file })}</b>
          {taken.findings.slice(0, 5).map((f) => (
            <span key={f.pointer + f.message} className="block text-small">
              {f.pointer && <span className="text-soft">{f.pointer}: </span>}
              {f.message}
            </span>
          ))}
          {taken.findings.length > 5 && (
            <span className="block text-small">{phrase('and {findings, number} more', { findings: taken.findings.length - 5 })}</span>
          )}
        </>
      )}
    </li>
  );
}
