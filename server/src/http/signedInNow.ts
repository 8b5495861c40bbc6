import type session from 'express-session';
import { LRUCache } from 'lru-cache';
import type { InferAttributes } from 'sequelize';
import type { PersonRow } from '../db/rows';
import type { Store } from '../domain/store';

/** How long somebody counts as signed in without being looked up again, ms: what another way changes takes this long at most. */
const FOR_MS = 1500;
const MOST = 2000;

/**
 * Who is signed in, for a moment: a page asks for several things at once, and each would look up its session and its person. Whatever
 * this server changes of people or sessions forgets all of it before it answers; the other processes hear of it at once.
 */
export class SignedInNow {
  private readonly sessions = new LRUCache<string, string>({ max: MOST, ttl: FOR_MS });
  private readonly people = new LRUCache<string, InferAttributes<PersonRow>>({ max: MOST, ttl: FOR_MS });
  /** Counts what was forgotten: an answer that was on its way then is not remembered. */
  private turn = 0;

  forget(): void {
    this.turn++;
    this.sessions.clear();
    this.people.clear();
  }

  async person(store: Store, id: string): Promise<PersonRow | null> {
    const known = this.people.get(id);
    // Each request has a row of its own: what one changes and takes back is nobody else's.
    if (known) return store.models.Person.build({ ...known }, { isNewRecord: false, raw: true });
    const { turn } = this;
    const row = await store.models.Person.findByPk(id);
    if (row && turn === this.turn) this.people.set(id, row.get({ plain: true, clone: true }));
    return row;
  }

  /** A store of sessions that is asked again only after a moment. */
  over<S extends session.Store>(store: S): S {
    const get = store.get.bind(store);
    const set = store.set.bind(store);
    const destroy = store.destroy.bind(store);
    store.get = (sid, done) => {
      const known = this.sessions.get(sid);
      if (known !== undefined)
        return void setImmediate(() => done(null, JSON.parse(known) as session.SessionData));
      const { turn } = this;
      get(sid, (error: unknown, found) => {
        if (!error && found && turn === this.turn) this.sessions.set(sid, JSON.stringify(found));
        done(error, found);
      });
    };
    store.set = (sid, sess, done) => {
      this.forget();
      set(sid, sess, (e) => {
        this.forget();
        done?.(e);
      });
    };
    store.destroy = (sid, done) => {
      this.forget();
      destroy(sid, (e) => {
        this.forget();
        done?.(e);
      });
    };
    return store;
  }
}
