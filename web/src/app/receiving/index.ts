export { UploadService, type UploadState } from './uploadService';
export { Uploads } from './uploads';
