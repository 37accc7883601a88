import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { Button } from '../../ui/bits';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';
import { Say } from '../programs/Say';

/** The hour that is offered to whoever has no morning letter. */
const usual = '07:30';

const inWords = (at: string) => (at ? phrase('by mail at {at} on working days', { at: at.replace(/^0/, '') }) : phrase('not by mail'));

/** Whether the day sheet comes to oneself as a morning letter, and at what hour. */
export function MorningHour() {
  const queries = useQueryClient();
  const morning = useQuery({ queryKey: ['morning'], queryFn: () => take(api.GET('/api/morning')) });
  const set = useMutation({
    meta: { says: () => phrase('the hour of the morning letter') },
    mutationFn: (at: string) => take(api.PUT('/api/morning', { body: { at } })),
    onSuccess: (answer) => queries.setQueryData(['morning'], answer),
    onError: (e) => toast.error(e.message),
  });
  const m = morning.data;
  if (!m) return null;
  const choose = (at: string) =>
    set.mutate(at, { onSuccess: () => said(phrase('Your sheet comes {at}.', { at: inWords(at) }), () => set.mutateAsync(m.at)) });
  return (
    <span>
      {phrase('this sheet')}{' '}
      <Say words={phrase('comes {at}', { at: inWords(m.at) })} label={phrase('Your morning letter')} soft={!m.at}>
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
              {phrase('The day sheet of your own people, as plain mail to {address}, on the practice’s working days unless you are away.', {
                address: m.address,
              })}
            </p>
            <p className="flex items-center gap-3">
              <label>
                {phrase('at')} <input name="at" type="time" required defaultValue={m.at || usual} autoFocus />
              </label>
              <Button type="submit" look="main">
                {phrase('Send it')}
              </Button>
              {m.at && (
                <Button
                  onClick={() => {
                    choose('');
                    close();
                  }}
                >
                  {phrase('no longer')}
                </Button>
              )}
            </p>
          </form>
        )}
      </Say>
    </span>
  );
}
