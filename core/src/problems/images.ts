import { problemsOf } from './entry';

export const imageProblems = problemsOf({
  'image-missing': { status: 404, says: 'There is no such image on the shelf.', todo: 'Choose another one.' },
  'image-unreadable': { status: 422, says: '{why}' },
  'image-packed': {
    status: 422,
    says: 'This file is packed ({packing}).',
    todo: 'Unpack it first, or put it on the shelf of images.',
  },
  'image-checking': { status: 409, says: 'The image is being checked.', todo: 'Wait for the end.' },
  'image-being-fetched': {
    status: 409,
    unharmed: 'Nothing was begun.',
    says: 'This address is being fetched already.',
    todo: 'Wait for the end, or stop it.',
  },
  'image-not-read': {
    status: 409,
    says: 'This image is not being fetched or read any more.',
    todo: 'Look at the shelf.',
  },
  'image-no-address': {
    status: 409,
    says: 'This image did not come from an address.',
    todo: 'Look on the page that offers it.',
  },
  'image-address': { status: 422, unharmed: 'The image stays as it is.', says: '{why}' },
  'image-partition': {
    status: 422,
    unharmed: 'The image stays as it is.',
    says: '{why}',
    todo: 'Choose one of its FAT partitions.',
  },
  'image-elsewhere': {
    status: 409,
    unharmed: 'The image stays as it is.',
    says: 'This image lies on the disk of the station "{station}".',
    todo: 'Choose its partition there.',
  },
  'image-in-use': { status: 409, says: 'The image is being written to cards.', todo: 'Wait for the end.' },
  'image-needed': {
    status: 409,
    unharmed: 'The image stays.',
    says: 'It is needed by {plans}.',
    todo: 'Choose another image there first.',
  },
  'digest-form': {
    status: 422,
    says: 'The published SHA-256 is none: it has 64 hexadecimal digits.',
    todo: 'Paste the digits, or the whole list that they stand in.',
  },
  'digest-other-file': {
    status: 422,
    says: 'The published list does not name {file}{names}.',
    todo: 'Paste the line of this file.',
  },
  'upload-missing': {
    status: 404,
    says: 'This upload is not known any more.',
    todo: 'Choose the file again.',
  },
  'upload-place': {
    status: 409,
    unharmed: 'Nothing was lost.',
    says: 'What was sent does not begin where the file had arrived to: an answer was lost, or somebody else sends it too.',
    todo: 'Ask by HEAD where it goes on, and go on from there.',
    handling: 'go-on',
  },
  'upload-long': {
    status: 413,
    says: 'What was sent reaches beyond the end of the file.',
    todo: 'Choose the file again.',
  },
  'upload-protocol': {
    status: 400,
    unharmed: 'What was sent is kept.',
    says: 'This is no upload as the tus protocol 1.0.0 has it: {why}',
    todo: 'Send it by a program that speaks it.',
  },
  'upload-no-room': {
    status: 507,
    unharmed: 'Nothing was sent.',
    says: 'There is not enough room for uploads: the file has {size}, the disk {free} free.',
    todo: 'Make room and send it again.',
  },
  'upload-disk-full': {
    status: 507,
    unharmed: 'What was sent is kept.',
    says: 'The disk that uploads gather on is full.',
    todo: 'Make room, then go on.',
  },
});
