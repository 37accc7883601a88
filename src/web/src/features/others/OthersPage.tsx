import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { HookCalls } from './HookCalls';
import { Hooks } from './Hooks';
import { Keys } from './Keys';

/** Other programs: the keys by which they work here, and what they are told. */
export default function OthersPage() {
  const keys = useQuery({ queryKey: ['keys'], queryFn: () => take(api.GET('/api/keys')) });
  const hooks = useQuery({ queryKey: ['hooks'], queryFn: () => take(api.GET('/api/hooks')) });
  const [picked, setPicked] = useState<string>();
  if (keys.isPending || hooks.isPending) return <Loading what={phrase('Opening other programs')} />;
  return (
    <DayPage
      marginTitle={picked ? phrase('What it was told') : phrase('How it works')}
      margin={picked ? <HookCalls hook={picked} close={() => setPicked(undefined)} /> : <About calls={keys.data?.callsAMinute ?? 0} />}
    >
      <PageHead title={phrase('Other programs')} aside={<Link to="/practice">{phrase('The practice')}</Link>} />
      <div className="px-7">
        <Trouble error={keys.error ?? hooks.error} />
      </div>
      <Stretch title={phrase('Keys')} note={phrase('by which another program works here')} />
      {keys.data && <Keys keys={keys.data} />}
      <Stretch title={phrase('Told what happens')} note={phrase('as it happens, to an address of theirs')} />
      {hooks.data && <Hooks hooks={hooks.data} pick={setPicked} picked={picked} />}
    </DayPage>
  );
}

function About({ calls }: { calls: number }) {
  return (
    <>
      <h3>{phrase('How it works')}</h3>
      <p className="mt-1">
        <Sentence
          m="A program shows its key with each call: {code}. It works for you, may what you and the key may, and stands in the journal by its name."
          v={{ code: <code className="break-all">Authorization: Bearer germinal_…</code> }}
        />
      </p>
      <p className="mt-3">
        <Sentence
          m="What can be called is said by <a>the description of the interface</a> (OpenAPI), from which clients are generated. A key may be used {calls, number} times a minute."
          v={{
            a: (c) => (
              <a className="inline-flex min-h-6 items-center" href="/openapi/v1.json">
                {c}
              </a>
            ),
            calls,
          }}
        />
      </p>
      <p className="mt-3">
        <Sentence
          m="A call with an {code} of its own is done once, however often it is made within a day."
          v={{ code: <code>Idempotency-Key</code> }}
        />
      </p>
      <p className="mt-3">
        {phrase(
          'What a program is told is signed after the Standard Webhooks specification. What is not taken is told again for a day; pick an address to see it, and to tell it again.',
        )}
      </p>
    </>
  );
}
