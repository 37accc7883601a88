/** How often what was seen is told, while a film plays (milliseconds). */
const between = 10_000;

/** Stretches that were played, in whole seconds: from, until, from, until. A second that has begun counts. */
export function playedOf(played: TimeRanges): number[] {
  const seen: number[] = [];
  for (let i = 0; i < played.length; i++) seen.push(Math.floor(played.start(i)), Math.ceil(played.end(i)));
  return seen;
}

/** Tells what was seen of a film, while it plays, when it rests, and when the page goes. Nothing is told before it was played. */
export function tellSeen(film: HTMLVideoElement) {
  const { tell, key, by } = film.dataset;
  if (!tell || !key) return;
  let told = '';
  const now = () => {
    const seen = playedOf(film.played);
    const body = JSON.stringify({ key, by: by ?? '', seen });
    if (seen.length === 0 || body === told) return;
    told = body;
    navigator.sendBeacon(tell, body);
  };
  let timer: ReturnType<typeof setInterval> | undefined;
  film.addEventListener('play', () => {
    clearInterval(timer);
    timer = setInterval(now, between);
  });
  for (const end of ['pause', 'ended'])
    film.addEventListener(end, () => {
      clearInterval(timer);
      now();
    });
  document.addEventListener('visibilitychange', () => document.visibilityState === 'hidden' && now());
}
