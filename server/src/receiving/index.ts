export { receivingRoutes } from './routes.js';
export { countArrivals, file, takeArrival } from './service.js';
export { receive, type Upload } from './upload.js';
