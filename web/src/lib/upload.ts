/** Sending a file, by hand, because an upload has progress that fetch does not tell. */
import { csrfToken, Problem } from "../api/client";

export function upload<Answer>(path: string, file: File, progress: (share: number) => void = () => {}) {
  return new Promise<Answer>((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", path);
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.responseType = "json";
    request.upload.onprogress = (e) => progress(e.total ? e.loaded / e.total : 0);
    request.onerror = () => reject(new Problem(0, "The server cannot be reached. Is it running?"));
    request.onload = () =>
      request.status === 200
        ? resolve(request.response)
        : reject(
            new Problem(
              request.status,
              request.response?.detail ?? "The file could not be taken.",
              request.response?.field,
            ),
          );
    const form = new FormData();
    form.append("file", file);
    request.send(form);
  });
}
