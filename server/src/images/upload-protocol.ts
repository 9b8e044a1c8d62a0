import { DataStore, ERRORS, Server, Upload } from '@tus/server';
import { BeginUploadSchema, type BeginUpload } from '@nest-mark/core';
import { problem, type Problem } from '../platform/http/problems';
import type { Images } from './domain';
import { UploadLocks } from './upload-locks';
import { addOctets, beginUpload, dropUpload, standOf } from './uploads';

/** Milliseconds in which octets that are on their way still arrive after a request was asked to end. */
const DRAIN = 1000;

/** What the package asks of whoever keeps the octets. */
class UploadStore extends DataStore {
  override extensions = ['creation', 'creation-with-upload', 'termination'];

  constructor(private readonly images: Images) {
    super();
  }

  /** It was begun when it got its id, so that the same file gets the same one. */
  override create(upload: Upload): Promise<Upload> {
    return Promise.resolve(upload);
  }

  override async getUpload(id: string): Promise<Upload> {
    const { upload, received } = await standOf(this.images, id);
    const { size, name: filename, modified, title, published: sha256 } = upload;
    const metadata = { filename, modified: String(modified), title, sha256 };
    return new Upload({ id, size, offset: received, metadata });
  }

  override write(...[content, id, offset]: Parameters<DataStore['write']>): Promise<number> {
    return addOctets(this.images, id, offset, content);
  }

  override remove(id: string): Promise<void> {
    return dropUpload(this.images, id);
  }
}

/** What the package refuses, in our words. */
function ofProtocol({ status_code: status, body }: { status_code: number; body: string }): Problem {
  // Somebody else took it over: whoever was cut off goes on by asking where it stands.
  if (status === ERRORS.INVALID_OFFSET.status_code || body === ERRORS.ABORTED.body)
    return problem('upload-place');
  if (status === ERRORS.FILE_NOT_FOUND.status_code) return problem('upload-missing');
  if (status === ERRORS.ERR_SIZE_EXCEEDED.status_code) return problem('upload-long');
  return problem('upload-protocol', { why: body.trim().replace(/\.?$/, '.') });
}

const isRefusal = (error: object): error is { status_code: number; body: string } =>
  'status_code' in error && 'body' in error;

/** What a file is begun with. A key without a value is an empty text ("Upload-Metadata"). @throws ZodError */
const wishOf = (headers: Headers, metadata: Record<string, string | null> = {}): BeginUpload =>
  BeginUploadSchema.parse({
    ...Object.fromEntries(Object.entries(metadata).map(([key, value]) => [key, value ?? ''])),
    size: headers.get('upload-length'),
  });

class UploadServer extends Server {
  /** What was refused before anybody looked at it would go out as text. */
  override write(
    ...[context, headers, status, body = '']: Parameters<Server['write']>
  ): ReturnType<Server['write']> {
    if (status >= 400) throw ofProtocol({ status_code: status, body });
    return super.write(context, headers, status, body);
  }
}

/**
 * Takes files in by the tus resumable upload protocol 1.0.0 (tus.io): "Core Protocol", "Creation", "Creation With
 * Upload" and "Termination". What goes wrong is thrown, and told as everywhere.
 * @param path at which uploads are found from outside
 */
export const uploadProtocol = (images: Images, path: string): Server =>
  new UploadServer({
    path,
    relativeLocation: true,
    datastore: new UploadStore(images),
    locker: new UploadLocks(),
    lockDrainTimeout: DRAIN,
    // Pages of other sites get nothing here.
    allowedOrigins: () => false,
    namingFunction: (request, metadata) => beginUpload(images, wishOf(request.headers, metadata)),
    onResponseError: (_request, error) => {
      throw isRefusal(error) ? ofProtocol(error) : error;
    },
  });
