import { ENDINGS, listWords } from '@cellmend/core/route';
import type { DecisionBody } from './decisions';

/** What was signed, in one line: for the timeline, the other tablet and the sheet. */
export function decisionWords(body: DecisionBody): string {
  switch (body.topic) {
    case 'intake':
      return [...body.signs, ...body.codes].join(', ');
    case 'appraisal':
      return [
        'used pack appraised',
        body.offer ? `offered at ${body.offer.price}` : '',
        ...Object.entries(body.looked).flatMap(([look, found]) => (found === 'bad' ? [`bad: ${look}`] : [])),
      ]
        .filter(Boolean)
        .join(', ');
    case 'measures':
      return [listWords(body.measures), body.elsewhere && `done elsewhere: ${body.elsewhere}`]
        .filter(Boolean)
        .join('; ');
    case 'match':
      return `donor for ${body.choices.map((c) => c.place).join(', ')}`;
    case 'balance':
      return body.lines
        .map(
          (l) =>
            `${l.place}: ${l.method === 'supply' ? `${l.currentA} A supply` : 'bleeders'}, ${l.goal === 'level-now' ? 'level now' : 'level when full'}`,
        )
        .join('; ');
    case 'prove':
      return body.passed ? 'proven' : 'not proven';
    case 'hand-over':
      return body.ending ? `sheet signed: ${ENDINGS[body.ending]}` : 'sheet signed';
    case 'reopen':
      return body.why;
  }
}
