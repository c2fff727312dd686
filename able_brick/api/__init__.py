"""The web side: thin routers over the project, one error mapping, the event socket, the built front end."""
