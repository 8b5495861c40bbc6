import { hasDraft, keepDraft, readDraft } from '../shell/useDraft';

/** What is typed of a job that is not open yet. */
export interface JobDraft {
  title: string;
  plate: string;
  complaint: string;
  packProfileId: string;
  /** Its pack is being described first. */
  waitsForPack?: boolean;
}
export const JOB_DRAFT = 'new-job';
export const NO_JOB: JobDraft = { title: '', plate: '', complaint: '', packProfileId: '' };
/** The board with the form of a new job open. */
export const NEW_JOB_PATH = '/?new=job';

/** Whether a job that was begun waits for the profile of its pack. */
export const jobWaits = (): boolean =>
  hasDraft(JOB_DRAFT) && readDraft<JobDraft>(JOB_DRAFT, NO_JOB).waitsForPack === true;

/** Gives the job that waits its pack. */
export function packForWaitingJob(packProfileId: string): void {
  keepDraft<JobDraft>(JOB_DRAFT, {
    ...readDraft<JobDraft>(JOB_DRAFT, NO_JOB),
    packProfileId,
    waitsForPack: false,
  });
}
