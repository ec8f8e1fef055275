import { cookie, Problem as Refusal } from "../api/client";

/** The most that is taken of one file. */
export const MOST_MB = 200;

/** Send a file and say how far it is; the browser's fetch tells no upload progress. Throws a Refusal at once where it is too large. */
export function uploadFile<T>(url: string, file: File, onProgress: (share: number) => void): { done: Promise<T>; stop: () => void } {
  if (file.size > MOST_MB << 20)
    throw new Refusal(413, `${file.name} is larger than ${MOST_MB} MB, the most that is taken; cut it to the stretch you need`);
  const request = new XMLHttpRequest();
  const done = new Promise<T>((resolve, reject) => {
    request.open("POST", url);
    request.setRequestHeader("X-CSRFToken", cookie("csrftoken"));
    request.responseType = "json";
    request.upload.onprogress = (event) => onProgress(event.loaded / event.total);
    request.onload = () =>
      request.status === 201
        ? resolve(request.response as T)
        : reject(new Refusal(request.status, request.response?.detail ?? `the server answered ${request.status}`));
    request.onerror = () => reject(new Refusal(0, "the upload broke off; is ./bell still running?"));
    request.onabort = () => reject(new Refusal(0, "Stopped. Nothing was kept of it."));
    const form = new FormData();
    form.append("file", file);
    request.send(form);
  });
  return { done, stop: () => request.abort() };
}
