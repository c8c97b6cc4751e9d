SwaggerUIBundle({ url: "/api/openapi.json", dom_id: "#api", deepLinking: true });
