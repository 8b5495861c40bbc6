import type { DecisionBody } from '@cellmend/contract/jobs';
import { chemistryName, type PackProfile } from '@cellmend/core/pack';
import type { Comparison } from '@cellmend/core/prove';
import { QueryTypes } from 'sequelize';
import type { JobRow } from '../db/rows';
import type { Doing, Store } from '../http/context';
import { HttpProblem, notFound } from '../http/problems';
import { currentDecisions } from '../jobs/need';

const refuse = (detail: string, accepted: string): never => {
  throw new HttpProblem(422, 'Not borne out by the record', detail, {
    type: 'urn:cellmend:decision',
    accepted,
  });
};

/**
 * Whether the record bears a decision out: modules that exist, a donor that is free, a balance of something chosen,
 * a proof of something compared. @throws 422 with what would be accepted
 */
export async function borneOut(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: DecisionBody,
): Promise<void> {
  const { tx } = doing;
  const decided = new Map((await currentDecisions(store, job.id, tx)).map((d) => [d.topic, d.body]));
  const replace = decided.get('replace');
  const out = replace?.topic === 'replace' ? replace.modules : [];
  switch (body.topic) {
    case 'replace': {
      const wrong = body.modules.find((id) => !profile.modules.some((m) => m.id === id));
      if (wrong) refuse(`The pack has no module ${wrong}.`, `Modules such as ${profile.modules[0]!.id}.`);
      if (new Set(body.modules).size !== body.modules.length)
        refuse('A module is named twice.', 'Each module once.');
      if (body.level === 'module' && body.modules.length === 0)
        refuse('No module is named.', 'The modules that come out, or another kind of repair.');
      return;
    }
    case 'match': {
      if (!out.includes(body.moduleId))
        refuse(
          `${body.moduleId} is not decided to come out.`,
          out.length > 0 ? `A donor for ${out.join(', ')}.` : 'A decision to replace it first.',
        );
      const donor = await store.models.Stock.findByPk(body.stockId, { transaction: tx });
      if (!donor) throw notFound('That stock module');
      const facts = donor.facts as { chemistry?: PackProfile['chemistry'] };
      if (facts.chemistry && facts.chemistry !== profile.chemistry)
        refuse(
          `${donor.label} is ${chemistryName(facts.chemistry)}, the pack is ${chemistryName(profile.chemistry)}.`,
          'A donor of the same chemistry.',
        );
      const [taken] = await store.sequelize.query<{ number: number }>(
        `SELECT j.number FROM decisions d JOIN jobs j ON j.id = d.job_id
          WHERE d.topic = 'match' AND d.body->>'stockId' = :stock AND d.job_id <> :job
            AND d.version = (SELECT max(version) FROM decisions x WHERE x.job_id = d.job_id AND x.topic = 'match')
          LIMIT 1`,
        { replacements: { stock: body.stockId, job: job.id }, type: QueryTypes.SELECT, transaction: tx },
      );
      if (taken) refuse(`${donor.label} is chosen in job ${taken.number}.`, 'A donor that is free.');
      return;
    }
    case 'balance':
      if (!decided.has('match')) refuse('No donor is chosen yet.', 'A donor first, under Match.');
      return;
    case 'prove': {
      if (!body.passed) return;
      const after = await store.models.Scan.count({
        where: { jobId: job.id, role: 'after' },
        transaction: tx,
      });
      if (after === 0)
        refuse('There is no scan after the repair.', 'A scan near full and near empty, then the comparison.');
      const compared = await store.models.Finding.findOne({
        where: { jobId: job.id, topic: 'prove' },
        order: [['createdAt', 'DESC']],
        transaction: tx,
      });
      const result = compared?.result as Comparison | undefined;
      if (!result?.passed)
        refuse(
          result ? result.verdict : 'The records before and after have not been compared.',
          'A comparison that is within its limits at both ends, or “not proven”.',
        );
      return;
    }
    default:
      return;
  }
}
