import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { Button } from '../../ui/bits';
import { said } from '../../ui/undo';
import { Say } from '../programs/Say';

/** The hour that is offered to whoever has no morning letter. */
const usual = '07:30';

const inWords = (at: string) => (at ? `by mail at ${at.replace(/^0/, '')} on working days` : 'not by mail');

/** Whether the day sheet comes to oneself as a morning letter, and at what hour. */
export function MorningHour() {
  const queries = useQueryClient();
  const morning = useQuery({ queryKey: ['morning'], queryFn: () => take(api.GET('/api/morning')) });
  const set = useMutation({
    meta: { says: () => 'the hour of the morning letter' },
    mutationFn: (at: string) => take(api.PUT('/api/morning', { body: { at } })),
    onSuccess: (answer) => queries.setQueryData(['morning'], answer),
    onError: (e) => toast.error(e.message),
  });
  const m = morning.data;
  if (!m) return null;
  const choose = (at: string) => set.mutate(at, { onSuccess: () => said(`Your sheet comes ${inWords(at)}.`, () => set.mutateAsync(m.at)) });
  return (
    <span>
      this sheet{' '}
      <Say words={`comes ${inWords(m.at)}`} label="Your morning letter" soft={!m.at}>
        {(close) => (
          <form
            className="text-small"
            onSubmit={(e) => {
              e.preventDefault();
              choose(String(new FormData(e.currentTarget).get('at') ?? ''));
              close();
            }}
          >
            <p className="mt-0">
              The day sheet of your own people, as plain mail to {m.address}, on the practice’s working days unless you are away.
            </p>
            <p className="flex items-center gap-3">
              <label>
                at <input name="at" type="time" required defaultValue={m.at || usual} autoFocus />
              </label>
              <Button type="submit" look="main">
                Send it
              </Button>
              {m.at && (
                <Button
                  onClick={() => {
                    choose('');
                    close();
                  }}
                >
                  no longer
                </Button>
              )}
            </p>
          </form>
        )}
      </Say>
    </span>
  );
}
