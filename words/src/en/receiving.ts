/** What arrives and is filed. */
export const receiving = {
  'receiving.arrivalHeld': 'An open hold covers papers like this one, so it is not discarded. File it; it is held from then on.',
  'receiving.documentsDateStillCome': 'The document’s date is in the future.',
  'receiving.filedAs': 'Filed as {number}.',
  'receiving.name.controls': 'control characters were left out',
  'receiving.name.path': 'the path was left out',
  'receiving.name.shortened': 'the name was shortened',
  'receiving.name.unnamed': 'it had no usable name',
  'receiving.noBytes': 'An upload is the bytes of a file.',
  'receiving.nothingMoreFiledAs': 'Nothing more is filed as “{title}”; the type was retired.',
  'receiving.otherBytes': 'Another file was sent under this Idempotency-Key before. Give each file a key of its own.',
  'receiving.physical': 'A physical item has no content here to replace.',
  'receiving.recordsFiledSeriesFolder': 'Records are filed in a series or a folder; {code} is {kind}.',
  'receiving.thereNoRecordType': 'There is no record type “{recordType}”.',
  'receiving.thereNoSuchContainer': 'There is no such container.',
  'receiving.youSendingMoreFiles': 'You are sending more files at once than can wait their turn. Send the others when these are here.',
} as const;
