document.body.append("x");
