/** The shelf of OS images, and how they arrive on it. */
export type { Images } from './domain';
export { shelfFolder } from './folder';
export { addImage } from './images';
export { imageReading, readLeftImages } from './reading';
export { ImageRepository } from './repository';
export { imageRoutes } from './routes';
export { UploadRepository } from './upload-repository';
export { uploadRoutes } from './upload-routes';
