export { addJob, openJobs, type JobContext, type Jobs, type JobWork } from './jobs.js';
export { cancelJob, jobById } from './store.js';
