import { toast } from 'sonner';
import { Button } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Shown = { words: string; picture: string | null; pictureWords: string };

/** Copies words, or shows them where the browser lets nobody copy. */
export async function copyWords(words: string) {
  try {
    await navigator.clipboard.writeText(words);
    toast(phrase('The words are copied.'));
  } catch {
    toast(words, { duration: 60_000 });
  }
}

/** A post's picture, if it has one. */
export function PostPicture({ post }: { post: Shown }) {
  return post.picture ? (
    <img src={post.picture} alt={post.pictureWords || phrase('Its picture')} className="mt-2 max-h-40 max-w-full" />
  ) : null;
}

/** What whoever puts a post up needs: its words to be copied, its picture to be saved. */
export function PostActs({ post, keys = false }: { post: Shown; keys?: boolean }) {
  return (
    <>
      <Button onClick={() => copyWords(post.words)}>
        <Sentence m="{keys} Copy words" v={{ keys: keys && <kbd>c</kbd> }} />
      </Button>
      {post.picture && (
        <a href={post.picture} download="post" className="inline-flex min-h-6 items-center">
          {phrase('Save picture')}
        </a>
      )}
    </>
  );
}
