-- A session of a terminal editor with the language server, for the picture of docs/editors.md:
-- the lock of the crate in the draft with what is known of it, and a list of the findings below.
vim.o.termguicolors = true
vim.o.background = "light"
vim.o.number = true
vim.o.signcolumn = "yes"
vim.o.laststatus = 2
vim.o.swapfile = false
vim.o.wrap = false
vim.cmd("syntax on")
vim.cmd("hi Normal guifg=#1d1f21 guibg=#fbfaf7")
vim.cmd("hi SignColumn guibg=#fbfaf7")
vim.cmd("hi LineNr guifg=#8a8578")
vim.cmd("hi NormalFloat guibg=#efece4")
vim.cmd("hi QuickFixLine gui=bold guibg=#efece4")
vim.cmd("hi Error gui=bold guifg=#a4262c guibg=NONE")
vim.cmd("hi LspCodeLens guifg=#6b6657 gui=italic")
vim.cmd("hi DiagnosticError guifg=#a4262c")
vim.cmd("hi DiagnosticWarn guifg=#8a5a00")
vim.cmd("hi DiagnosticInfo guifg=#2f6690")

local severities = { "E", "W", "I", "N" }
local first_line = function(diagnostic) return (diagnostic.message:gsub("\n.*", "")) end
vim.diagnostic.config({ virtual_text = { spacing = 2, format = first_line }, severity_sort = true })

local function list()
  local items = {}
  for _, one in ipairs(vim.diagnostic.get(0)) do
    if one.severity <= vim.diagnostic.severity.WARN then
      items[#items + 1] = {
        bufnr = one.bufnr, lnum = one.lnum + 1, type = severities[one.severity],
        text = one.code .. "  " .. first_line(one),
      }
    end
  end
  table.sort(items, function(a, b) return a.type .. (1000 + a.lnum) < b.type .. (1000 + b.lnum) end)
  vim.fn.setloclist(0, {}, " ", { title = "zubrel: findings", items = items })
end

local function show()
  list()
  vim.fn.search("^  crate:")
  vim.cmd("normal! zt4\25")
  vim.cmd("lopen 9 | wincmd p")
  vim.fn.search("^  crate:", "bcw")
  vim.cmd("normal! w")
  vim.defer_fn(function() vim.lsp.buf.hover() end, 300)
  vim.defer_fn(function() vim.fn.writefile({}, "done") end, 1500)
end

vim.api.nvim_create_autocmd("FileType", {
  pattern = "yaml",
  callback = function()
    local client = vim.lsp.start_client({
      name = "zubrel",
      cmd = { "zubrel", "language-server" },
      root_dir = vim.fn.getcwd(),
    })
    vim.lsp.buf_attach_client(0, client)
    local timer = vim.loop.new_timer()
    timer:start(1000, 500, vim.schedule_wrap(function()
      if #vim.diagnostic.get(0) > 0 and not timer:is_closing() then
        timer:close()
        vim.lsp.codelens.refresh()
        vim.defer_fn(show, 1500)
      end
    end))
  end,
})
