import { api, type Schemas, take } from '../../api/client';

const path = (id: string) => ({ params: { path: { id } } });

/** Ends a task; said twice it counts once. */
export const finishTask = (id: string, body: Schemas['TaskDoneBody']) => take(api.POST('/api/tasks/{id}/done', { ...path(id), body }));

/** Puts a task that is done back on the sheet, with what followed taken back. */
export const reopenTask = (id: string) => take(api.POST('/api/tasks/{id}/undo', path(id)));

/** Moves an open task to another day; what it gives back says where it stood. */
export const moveTask = (id: string, to: string) => take(api.POST('/api/tasks/{id}/move', { ...path(id), body: { to } }));

/** Takes an open task out. */
export const takeTaskOut = (id: string) => take(api.DELETE('/api/tasks/{id}', path(id)));
