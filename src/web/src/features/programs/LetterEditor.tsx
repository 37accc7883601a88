import { useQuery } from '@tanstack/react-query';
import Image from '@tiptap/extension-image';
import { EditorContent, useEditor } from '@tiptap/react';
import StarterKit from '@tiptap/starter-kit';
import { DropdownMenu } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import { api, type Schemas, take, upload } from '../../api/client';
import { Trouble } from '../../ui/bits';
import { LinkTool } from './LinkTool';
import { attributesOf, effectsOf, LetterLink } from './letterLink';

/** A letter's subject and body, written in place: headings, bold, lists, links, pictures, and merge fields from a menu. */
export default function LetterEditor({
  subject,
  body,
  problems,
  change,
}: {
  subject: string;
  body: string;
  problems: Schemas['FindingDto'][];
  change: (part: { subject?: string; body?: string }) => void;
}) {
  const [last, setLast] = useState<'subject' | 'body'>('body');
  const line = useRef<HTMLInputElement>(null);
  const file = useRef<HTMLInputElement>(null);
  const [trouble, setTrouble] = useState<unknown>();
  const latest = useRef(change);
  latest.current = change;
  const fields = useQuery({
    queryKey: ['fields'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => take(api.GET('/api/programs/fields')),
  });
  const editor = useEditor({
    extensions: [
      StarterKit.configure({
        heading: { levels: [2, 3] },
        codeBlock: false,
        code: false,
        strike: false,
        link: false,
      }),
      LetterLink.configure({ openOnClick: false, defaultProtocol: 'https' }),
      Image,
    ],
    content: asHtml(body),
    editorProps: { attributes: { 'aria-label': 'Body of the letter', role: 'textbox', 'aria-multiline': 'true' } },
    onUpdate: ({ editor: e }) => latest.current({ body: e.isEmpty ? '' : e.getHTML() }),
  });
  useEffect(() => {
    if (!body && !subject) line.current?.focus();
    // Only when it opens.
  }, []);

  function insert(field: string) {
    const text = `{{ ${field} }}`;
    const input = line.current;
    if (last === 'subject' && input) {
      const at = input.selectionStart ?? subject.length;
      change({ subject: subject.slice(0, at) + text + subject.slice(input.selectionEnd ?? at) });
    } else {
      editor?.chain().focus().insertContent(text).run();
    }
  }

  async function picture(chosen: File) {
    setTrouble(undefined);
    try {
      const { url } = await upload<Schemas['ImageDto']>('/api/images', chosen);
      editor
        ?.chain()
        .focus()
        .setImage({ src: url, alt: chosen.name.replace(/\.\w+$/, '') })
        .run();
    } catch (e) {
      setTrouble(e);
    }
  }

  const tool = (word: string, on: boolean, run: () => void) => (
    <button
      type="button"
      className={`px-1.5 text-small ${on ? 'font-semibold text-leaf' : 'text-soft hover:text-ink'}`}
      aria-pressed={on}
      onMouseDown={(e) => e.preventDefault()}
      onClick={run}
    >
      {word}
    </button>
  );
  return (
    <div className="my-2 border border-rule bg-sheet font-sans text-base">
      <input
        ref={line}
        aria-label="Subject"
        placeholder="Subject"
        className="w-full !rounded-none !border-0 !border-b !border-rule !px-4 !py-2.5 font-serif !text-lead font-semibold"
        value={subject}
        onFocus={() => setLast('subject')}
        onChange={(e) => change({ subject: e.target.value })}
      />
      <div className="flex flex-wrap items-center gap-1 border-b border-rule px-2.5 py-1" role="toolbar" aria-label="Formatting">
        {tool('Bold', editor?.isActive('bold') ?? false, () => editor?.chain().focus().toggleBold().run())}
        {tool('Heading', editor?.isActive('heading') ?? false, () => editor?.chain().focus().toggleHeading({ level: 2 }).run())}
        {tool('List', editor?.isActive('bulletList') ?? false, () => editor?.chain().focus().toggleBulletList().run())}
        {tool('Numbers', editor?.isActive('orderedList') ?? false, () => editor?.chain().focus().toggleOrderedList().run())}
        <LinkTool
          href={editor?.getAttributes('link').href as string | undefined}
          effects={effectsOf(editor?.getAttributes('link') ?? {})}
          set={(href, effects) =>
            href
              ? editor
                  ?.chain()
                  .focus()
                  .extendMarkRange('link')
                  .setMark('link', { href, ...attributesOf(effects) })
                  .run()
              : editor?.chain().focus().extendMarkRange('link').unsetLink().run()
          }
        />
        {tool('Picture', false, () => file.current?.click())}
        <input
          ref={file}
          type="file"
          accept="image/*"
          className="sr-only"
          aria-label="A picture for the letter"
          tabIndex={-1}
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            if (chosen) picture(chosen);
            e.target.value = '';
          }}
        />
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="ml-auto px-1.5 text-small text-leaf">Fields</DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="float max-h-80 overflow-y-auto py-1" align="end" onCloseAutoFocus={(e) => e.preventDefault()}>
              {fields.data?.map((f) => (
                <DropdownMenu.Item
                  key={f.field}
                  className="flex cursor-pointer gap-3 px-3 py-1 text-small outline-none data-[highlighted]:bg-leaf-pale"
                  onSelect={() => insert(f.field)}
                >
                  <span className="w-40 font-semibold">{f.field}</span>
                  <span className="text-soft">{f.meaning}</span>
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </div>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: only notes where the cursor was last */}
      <div className="letter writing px-4 py-3" onFocus={() => setLast('body')}>
        <EditorContent editor={editor} />
      </div>
      {(problems.length > 0 || Boolean(trouble)) && (
        <div className="border-t border-rule px-4 py-2 text-small text-ember" role="alert">
          {problems.map((p) => (
            <p key={p.message}>{p.message}</p>
          ))}
          <Trouble error={trouble} />
        </div>
      )}
    </div>
  );
}

/** A body written without tags becomes paragraphs, as when it is sent. */
function asHtml(body: string) {
  if (/<(p|h[1-3]|ul|ol|strong|em|br|a|img)\b/i.test(body)) return body;
  return body
    .split(/\n\n+/)
    .filter(Boolean)
    .map((p) => `<p>${p.replaceAll('\n', '<br>')}</p>`)
    .join('');
}
