/** Why requests were refused, in words (clabo/collect/ingest/beacon.py and clabo/collect/bridges give the short ones). */
const REASONS: Record<string, string> = {
  unknown_key: "a key that no site has",
  too_large: "too large",
  wrong_type: "a field of the wrong kind",
  not_json: "not readable",
  too_old: "older than 24 hours",
  bad_address: "an unreadable address",
  foreign_host: "a host that is not the site’s",
  wrong_method: "the wrong method",
  cut_off: "cut off on the way",
  too_many: "more than the site may take in a minute",
  too_many_of_visitor: "more from one visitor than a person can do in a minute",
  too_many_of_network: "more from one network than it may send in a minute",
  folded_pages: "pages too many to tell apart: kept, and counted under one name",
  folded_origins: "sources too many to tell apart: kept, and counted under one name",
  folded_elements: "forms and buttons too many to tell apart: kept, and counted under one name",
  folded_names: "names of events too many to tell apart: kept, and counted under one name",
  folded_visitors: "new visitors of one network too many to tell apart: kept, and counted as one",
  folded_events: "more than 2,000 events of one browser in a day, or 50,000 in all: kept, and counted as a robot’s",
  unknown_link: "a bridge link that does not exist",
  unknown_reference: "a click reference that is none of ours",
  bad_signature: "a sale with a wrong signature",
  pixel_not_taken: "a sale by an image, which the link does not take",
};

export const refusal = (reason: string) => REASONS[reason] ?? reason.replaceAll("_", " ");
