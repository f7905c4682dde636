// Parts of a page that are had from the server and shown beside something.

/** The elements of a part of a page. The browser reads them as a document of its own, in which nothing runs. */
export function parts(address) {
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    request.open("GET", address);
    request.responseType = "document";
    request.onloadend = () => {
      const fine = request.status === 200 && request.response;
      resolve(fine ? [...request.response.body.childNodes] : ["This is not to be had any more. Load the page again."]);
    };
    request.send();
  });
}
