export { UploadService } from './uploadService';
export { Uploads } from './uploads';
