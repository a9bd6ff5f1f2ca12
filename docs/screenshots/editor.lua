-- For the picture of an editor: findings beside their lines, and what is known of a route.
vim.opt.number = true
vim.opt.signcolumn = "no"
vim.opt.termguicolors = true
vim.cmd("highlight NormalFloat guibg=#26303d")
vim.diagnostic.config({ virtual_text = { format = function(one) return one.message:match("[^\n]*") end } })
local client = vim.lsp.start_client({ name = "vivid-lane", cmd = { "vivid-lane", "language-server" }, root_dir = vim.fn.getcwd() })
vim.lsp.buf_attach_client(0, client)
vim.fn.cursor(38, 1)
vim.cmd("normal! zt")
vim.fn.search("objects.\\zsobject\\]")
vim.defer_fn(vim.lsp.buf.hover, 3000)
