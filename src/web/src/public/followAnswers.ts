/** Shows each question only while it is asked: while an earlier one has an answer it waits for. What is not asked is not sent. */
export function followAnswers(form: HTMLFormElement) {
  const asked = [...form.querySelectorAll<HTMLElement>('[data-if]')];
  for (const note of form.querySelectorAll<HTMLElement>('.only')) note.hidden = true;
  const look = () => {
    // In their order: one that is not asked has no answer for those after it.
    for (const part of asked) {
      const given = new FormData(form).getAll(part.dataset.if ?? '').map((v) => (typeof v === 'string' ? v.trim().toLowerCase() : v.name));
      const wanted = (part.dataset.answers ?? '')
        .split(';')
        .filter(Boolean)
        .map((a) => a.toLowerCase());
      const shown = given.some((g) => g !== '' && (wanted.length === 0 || wanted.includes(g)));
      part.hidden = !shown;
      for (const field of part.querySelectorAll<HTMLInputElement>('input, select, textarea')) field.disabled = !shown;
    }
  };
  form.addEventListener('input', look);
  look();
}
